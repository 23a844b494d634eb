import { contains, parseAddress, printAddress, printPrefix } from '../../address';
import { checkTitle, judge, type Expectation } from '../../proof';
import { answers, isUpEnd, otherEnd, type Station, type TunnelFault, type Way } from './network';
import { gives, problemAt, type Twin, type TwinProblem } from './twin';

/**
 * The checks of a unit's proof that would fail in the computed network, those with one cause together. What cannot be
 * computed is noted in `unmodelled`. The judges of real proofs decide, of rows as a unit would answer.
 */
export function failing(
	twin: Twin,
	station: Station,
	checks: readonly Expectation[],
	all: readonly Station[],
	unmodelled: Set<string>
): readonly TwinProblem[] {
	const found: { readonly check: Expectation; readonly words: string; readonly cause: Cause }[] = [];
	for (const check of checks) {
		if (check.kind === 'command') {
			unmodelled.add(`${twin.name}: ${checkTitle(check)}`);
			continue;
		}
		const rows = rowsFor(check, twin, station, all);
		if (check.kind === 'configuration' || rows === null) continue;
		const { state, words } = judge(check, { rows, text: '', askedAt: 0, answeredAt: 0 });
		if (state !== 'holds') found.push({ check, words, cause: causeOf(check, station, all) });
	}
	const keys = [...new Set(found.map(({ cause }) => cause.key))];
	return keys.map((key) => {
		const same = found.filter(({ cause }) => cause.key === key);
		const [{ check, words, cause }] = same as [(typeof found)[number]];
		const line = cause.line ?? (check.kind === 'clients' ? (station.wiring.segments[0]?.line ?? null) : null);
		return problemAt(twin, {
			step: 'proof',
			words: `${checkTitle(check)}: ${cause.words ?? words}`,
			line,
			checks: same.map((one) => checkTitle(one.check)),
			...(cause.mend && { mend: cause.mend })
		});
	});
}

/** What a unit would answer; null where that is taken to be as wanted. */
function rowsFor(
	check: Expectation,
	twin: Twin,
	station: Station,
	all: readonly Station[]
): readonly Readonly<Record<string, string>>[] | null {
	const { wiring } = station;
	switch (check.kind) {
		case 'tunnel':
			return wiring.tunnels.map((tunnel) => ({
				tunnel: tunnel.name,
				state: isUpEnd(otherEnd(station, tunnel, all)) ? 'up' : ''
			}));
		case 'route':
			return wiring.tunnels.flatMap((tunnel) => {
				const end = otherEnd(station, tunnel, all);
				return isUpEnd(end)
					? tunnel.carries.map((block) => ({
							prefix: printPrefix(block),
							via: tunnel.name,
							next: printAddress(end.tunnel.own!.address)
						}))
					: [];
			});
		case 'reach': {
			const way = wayFor(check.host, station, all);
			return [{ sent: '10', received: way?.answered ? '10' : '0', milliseconds: '1' }];
		}
		case 'path': {
			const way = wayFor(check.host, station, all);
			const hops = (way?.hops ?? []).map((hop) => ({ hop }));
			if (!way?.answered) return [...hops, { hop: '' }];
			return way.hops.at(-1) === check.host ? hops : [...hops, { hop: check.host }];
		}
		case 'clients':
			return wiring.segments.flatMap(({ name, range }) =>
				range ? [{ name, free: String(range.last.value - range.first.value + 1n) }] : []
			);
		case 'power': {
			const roles = Object.entries(twin.model?.ports ?? {});
			return check.ports.map(({ port }) => ({
				port,
				power: gives(twin, roles.find(([, name]) => name === port)?.[0] ?? '') ? 'yes' : ''
			}));
		}
		case 'firmware':
			return [{ version: twin.isOnline ? (twin.version ?? '') : check.version }];
		case 'neighbours':
			return check.cables.map(({ port, far, farPort, chassis }) => ({
				port,
				chassis: chassis ?? '',
				neighbour_port: farPort,
				name: far
			}));
		default:
			return null;
	}
}

const wayFor = (
	host: string,
	from: Station,
	all: readonly Station[]
): (Way & { answered: boolean }) | null => {
	const to = parseAddress(host);
	return to && answers(from, to, all);
};

/** Why a check would fail, as far as the computed network shows. Checks with one key have one cause. */
interface Cause {
	readonly key: string;
	readonly words: string | null;
	readonly line: number | null;
	readonly mend: TwinProblem['mend'] | null;
}

function causeOf(check: Expectation, station: Station, all: readonly Station[]): Cause {
	const { tunnels } = station.wiring;
	const unknown: Cause = { key: check.kind, words: null, line: null, mend: null };
	if (check.kind === 'tunnel' || check.kind === 'route') {
		const tunnel = tunnels.find(({ name }) => name === check.tunnel);
		if (!tunnel)
			return {
				key: check.tunnel,
				words: `its configuration has no tunnel ${check.tunnel}.`,
				line: null,
				mend: END_MEND
			};
		const end = otherEnd(station, tunnel, all);
		if (!isUpEnd(end))
			return {
				key: tunnel.name,
				words: faultWords(end),
				line: tunnel.line,
				mend: 'other' in end && end.kind !== 'not up' ? mendAt(end.other) : END_MEND
			};
		return { ...unknown, key: `${check.kind} ${tunnel.name}`, line: tunnel.line };
	}
	if (check.kind !== 'reach' && check.kind !== 'path') return unknown;
	const way = wayFor(check.host, station, all);
	const first = tunnels.find((tunnel) => !isUpEnd(otherEnd(station, tunnel, all)));
	// Without its tunnel nothing behind it is reached
	if (way?.hops.length === 0 && first) return causeOf({ kind: 'tunnel', tunnel: first.name }, station, all);
	const double = way && doubled(station, all);
	if (double) return double;
	return { ...unknown, key: `to ${check.host}`, mend: END_MEND };
}
const END_MEND = { href: '/addresses/tunnels', words: 'Look at the tunnels' };
const mendAt = (other: Station): TwinProblem['mend'] => ({
	href: `/positions/${other.id}/preview`,
	words: `Look at ${other.name} at ${other.siteName}`
});

const faultWords = (fault: TunnelFault): string => {
	if (fault.kind === 'no other end')
		return 'nobody at its other end knows this tunnel: what runs there was made before it was planned, and has to be sent again.';
	const at = `${fault.other.name} at ${fault.other.siteName}`;
	switch (fault.kind) {
		case 'not up':
			return `${at}, its other end, is not online.`;
		case 'another secret':
			return `what runs at ${at} has another secret for it, and has to be sent again.`;
		case 'nobody dials':
			return `neither end knows where ${at} is reached from outside.`;
	}
};

/** Another site to which the far end sends what is meant for this one: its network is given twice. */
function doubled(station: Station, all: readonly Station[]): Cause | null {
	for (const segment of station.wiring.segments)
		for (const tunnel of station.wiring.tunnels) {
			const end = otherEnd(station, tunnel, all);
			if (!isUpEnd(end)) continue;
			const twice = end.station.wiring.tunnels.find(
				(other) =>
					other.name !== end.tunnel.name &&
					other.carries.some((block) => contains(block, segment)) &&
					isUpEnd(otherEnd(end.station, other, all))
			);
			const there = twice && otherEnd(end.station, twice, all);
			if (twice && there && isUpEnd(there))
				return {
					key: 'doubled',
					words: `what is sent back goes to ${there.station.siteName}: ${printPrefix(segment)} is given there as well.`,
					line: segment.line,
					mend: { href: '/addresses', words: 'Look at the addresses' }
				};
		}
	return null;
}
