import { UPLINK_WORDS, type PurposeId, type UplinkKind } from './guide';

interface Purposed {
	readonly name: string;
	readonly purpose: PurposeId | null;
}

const kindOf = ({ purpose }: Purposed): string | null =>
	purpose?.startsWith('uplink-') ? purpose.slice('uplink-'.length) : null;

/**
 * The parts of a profile that count at a site with such an uplink: all but those for another kind. A profile
 * that has parts for uplinks and none for this kind does not fit there: `gap` says so. A part for no kind of
 * uplink counts everywhere, and so a profile without any fits everywhere.
 */
export function partsAtUplink<Part extends Purposed>(
	parts: readonly Part[],
	uplink: UplinkKind
): { readonly parts: readonly Part[]; readonly gap: string | null } {
	const kinds = parts.map(kindOf);
	const fitting = parts.filter((_, index) => kinds[index] === null || kinds[index] === uplink);
	const has = kinds.filter((kind) => kind !== null);
	const gap =
		has.length === 0 || has.includes(uplink)
			? null
			: `The site’s uplink is ${UPLINK_WORDS[uplink]}, and the profile has parts for ${has.map((kind) => UPLINK_WORDS[kind as UplinkKind]).join(' and ')} only.`;
	return { parts: fitting, gap };
}
