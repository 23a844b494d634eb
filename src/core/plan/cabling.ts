/**
 * Cabling: which port of which position is plugged into which port of which other, or into the provider's socket. Ports
 * are named by what they are for (`uplink`, `ap_feed_2`), so that cabling is planned before any model is known.
 */
export interface CableEnd {
	readonly positionId: string;
	readonly port: string;
}
export interface Cable {
	/** The end whose device hangs on the other. */
	readonly near: CableEnd;
	/** Null for the provider's socket. */
	readonly far: CableEnd | null;
}
/** A position as far as cables go. `ports`: those its model has; of a position without a unit, its likely model's. */
export interface CabledPosition {
	readonly id: string;
	readonly name: string;
	readonly roleId: string;
	readonly ports: readonly string[];
}
export interface CablingProblem {
	/** `wrong`: it cannot be so. `missing`: something is not plugged in yet. */
	readonly kind: 'wrong' | 'missing';
	readonly positionId: string;
	readonly message: string;
}

const ACCESS_POINT = 'access-point';
const SWITCH = 'switch';
const FEED = /^ap_feed(?:_(\d+))?$/;
const LAN = /^lan(?:_(\d+))?$/;

/** Ports of one kind in their order: `ap_feed`, `ap_feed_2`, `ap_feed_3`. */
const portsLike = (kind: RegExp, { ports }: CabledPosition): readonly string[] =>
	ports
		.flatMap((port) => {
			const found = kind.exec(port);
			return found ? [{ port, rank: Number(found[1] ?? 1) }] : [];
		})
		.sort((a, b) => a.rank - b.rank)
		.map(({ port }) => port);

const keyOf = ({ positionId, port }: CableEnd): string => `${positionId} ${port}`;

/**
 * Cables for those positions that have none: what leads outside into the provider's socket (unless it is reached by
 * radio), switches on what leads outside, access points on a switch's feeding ports, and on the gateway's where there is
 * none left. Laws: no port is given twice; what is cabled stays as it is; the same site gives the same cables.
 */
export function proposeCabling(
	positions: readonly CabledPosition[],
	existing: readonly Cable[],
	isWired: boolean
): readonly Cable[] {
	const taken = new Set(existing.flatMap(({ near, far }) => [near, ...(far ? [far] : [])]).map(keyOf));
	const cabled = new Set(existing.map(({ near }) => near.positionId));
	const ordered = [...positions].sort((a, b) => (a.name < b.name ? -1 : 1));
	const outward = ordered.filter(({ roleId }) => roleId !== ACCESS_POINT && roleId !== SWITCH);
	const switches = ordered.filter(({ roleId }) => roleId === SWITCH);
	const proposed: Cable[] = [];
	const free = (from: readonly CabledPosition[], kinds: readonly RegExp[]): CableEnd | null => {
		for (const kind of kinds)
			for (const position of from)
				for (const port of portsLike(kind, position)) {
					const end = { positionId: position.id, port };
					if (!taken.has(keyOf(end))) return end;
				}
		return null;
	};
	const plug = (position: CabledPosition, far: CableEnd | null) => {
		const near = { positionId: position.id, port: 'uplink' };
		if (!position.ports.includes('uplink') || cabled.has(position.id) || taken.has(keyOf(near))) return;
		proposed.push({ near, far });
		for (const end of [near, far]) if (end) taken.add(keyOf(end));
	};
	if (isWired) for (const position of outward) plug(position, null);
	for (const position of switches) {
		const far = cabled.has(position.id) ? null : free(outward, [LAN, FEED]);
		if (far) plug(position, far);
	}
	for (const position of ordered.filter(({ roleId }) => roleId === ACCESS_POINT)) {
		const far = cabled.has(position.id) ? null : (free(switches, [FEED]) ?? free(outward, [FEED, LAN]));
		if (far) plug(position, far);
	}
	return proposed;
}

/** All that has no network while a position is away: what hangs on it, and what hangs on that. Itself not among them. */
export function hangingOn(cables: readonly Cable[], positionId: string): ReadonlySet<string> {
	const direct = new Map<string, string[]>();
	for (const { near, far } of cables)
		if (far) direct.set(far.positionId, [...(direct.get(far.positionId) ?? []), near.positionId]);
	const found = new Set<string>();
	const open = [positionId];
	for (let id = open.pop(); id !== undefined; id = open.pop())
		for (const next of direct.get(id) ?? [])
			if (next !== positionId && !found.has(next)) {
				found.add(next);
				open.push(next);
			}
	return found;
}

const MOST_CABLES = 500;

/** What is wrong with cables as somebody planned them: a port twice, none of the position's, a cable into itself, one without a cable. */
export function cablingProblems(
	positions: readonly CabledPosition[],
	cables: readonly Cable[],
	isWired: boolean
): readonly CablingProblem[] {
	const byId = new Map(positions.map((one) => [one.id, one]));
	const problems: CablingProblem[] = [];
	const used = new Map<string, string>();
	const say = (positionId: string, message: string, kind: CablingProblem['kind'] = 'wrong') =>
		problems.push({ kind, positionId, message });
	if (cables.length > MOST_CABLES)
		return [{ kind: 'wrong', positionId: '', message: `At most ${MOST_CABLES} cables.` }];
	for (const { near, far } of cables) {
		if (far?.positionId === near.positionId)
			say(near.positionId, `${byId.get(near.positionId)?.name ?? 'A position'} is plugged into itself.`);
		for (const end of far ? [near, far] : [near]) {
			const position = byId.get(end.positionId);
			if (!position) say(end.positionId, 'A cable leads to a position that is not there.');
			else if (!position.ports.includes(end.port))
				say(position.id, `${position.name} has no port ${portTitle(end.port)}.`);
			else if (used.has(keyOf(end)))
				say(position.id, `${position.name}: two cables are in its port ${portTitle(end.port)}.`);
			used.set(keyOf(end), position?.name ?? '');
		}
	}
	const cabled = new Set(
		cables.flatMap(({ near, far }) => [near.positionId, ...(far ? [far.positionId] : [])])
	);
	for (const { id, name, roleId, ports } of positions)
		if (!cabled.has(id) && ports.length > 0 && (isWired || roleId === ACCESS_POINT || roleId === SWITCH))
			say(id, `${name} has no cable yet.`, 'missing');
	return problems;
}

/** A port by what it is for, as people read it: “uplink”, “access points 2”. */
export function portTitle(port: string): string {
	const feed = FEED.exec(port);
	if (feed) return feed[1] ? `access points ${feed[1]}` : 'access points';
	return port.replaceAll('_', ' ');
}
