/** A version of a firmware line. `from`: those that can be changed to it directly, all of them when it is empty. */
export interface FirmwareVersion {
	readonly version: string;
	readonly from: readonly string[];
}

/**
 * The versions that a unit has to be brought to, one after another, to get from one to another: the shortest way that its
 * maker allows and that goes in one direction; of equally short ones that through the newest. `versions` are oldest first;
 * one that is not listed counts as older than all. Empty where it runs the wanted one already; null where there is no way.
 * To a version that is not listed it is changed directly. `isUsable`: whether a version may be gone through. Takes time in proportion to the versions and what they name.
 */
export function upgradePath(
	versions: readonly FirmwareVersion[],
	from: string,
	to: string,
	isUsable: (version: string) => boolean = () => true
): readonly string[] | null {
	if (from === to) return [];
	const ranks = new Map(versions.map(({ version }, index) => [version, index]));
	const [first, last] = [ranks.get(from) ?? -1, ranks.get(to)];
	if (last === undefined) return [to];
	/** Whether a version lies on the way from the first to a later one on it. */
	const isBefore = (version: string, later: string) => {
		const [rank, end] = [ranks.get(version) ?? -1, ranks.get(later)!];
		return first < last ? rank > first && rank < end : rank < first && rank > end;
	};
	// Backwards from the wanted one, so that each version that is come to knows its next
	const next = new Map<string, string>();
	let reached = [to];
	while (reached.length > 0 && !next.has(from)) {
		const before: string[] = [];
		for (const later of reached) {
			const direct = versions[ranks.get(later)!]!.from;
			if (direct.length === 0 || direct.includes(from)) {
				next.set(from, later);
				break;
			}
			for (const earlier of direct.filter((one) => isBefore(one, later) && isUsable(one)))
				if (!next.has(earlier)) {
					next.set(earlier, later);
					before.push(earlier);
				}
		}
		reached = before.sort((a, b) => ranks.get(b)! - ranks.get(a)!);
	}
	if (!next.has(from)) return null;
	const path: string[] = [];
	for (let at = from; at !== to;) path.push((at = next.get(at)!));
	return path;
}

export const noWay = (from: string, to: string): string =>
	`There is no way from firmware ${from} to ${to} that its maker allows.`;
export const noImage = (version: string): string => `There is no image of version ${version} for this model.`;
