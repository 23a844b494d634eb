import { parsePrefix, printPrefix } from '../address';
import { saysYes } from '../pack';
import type { Groups } from '../pattern';
import { holds } from '../profile';
import { counted } from '../text';
import type { Expectation, Figure, Outcome } from './checks';

/** What a unit answered, and when it was asked and had answered, in milliseconds since the epoch. */
export interface Answered {
	readonly rows: readonly Groups[];
	readonly text: string;
	readonly askedAt: number;
	readonly answeredAt: number;
}
/** What an answer means for a check; `unread` where it does not say what the check needs. */
export type Judgement = Outcome | { readonly state: 'unread'; readonly words: string };

const well = (words: string, figures: readonly Figure[] = []): Outcome => ({
	state: 'holds',
	words,
	figures
});
const wrong = (words: string, figures: readonly Figure[] = []): Outcome => ({
	state: 'fails',
	words,
	figures
});
const unread = (words: string): Judgement => ({ state: 'unread', words });
const NUMBER = /^\d+(?:\.\d+)?$/;
const numberIn = (text: string | undefined): number | null =>
	text !== undefined && NUMBER.test(text) ? Number(text) : null;

type Judge<Kind extends Expectation['kind']> = (
	expects: Extract<Expectation, { kind: Kind }>,
	answered: Answered
) => Judgement;

/** `configuration` is judged where the configurations are compared. */
const JUDGES: { readonly [Kind in Exclude<Expectation['kind'], 'configuration'>]: Judge<Kind> } = {
	serial: ({ serial }, { rows }) => {
		const said = rows[0]?.serial;
		if (said === undefined) return unread('It did not say its serial number.');
		return said === serial
			? well(`It is ${serial}.`)
			: wrong(`Another unit stands here: it says that it is ${said}, and ${serial} is bound.`);
	},
	firmware: ({ version }, { rows }) => {
		const said = rows[0]?.version;
		if (said === undefined) return unread('It did not say which firmware it runs.');
		return said === version
			? well(`It runs ${version}.`)
			: wrong(`It runs ${said}, and should run ${version}.`);
	},
	tunnel: ({ tunnel }, { rows }) => {
		const found = rows.find((row) => row.tunnel === tunnel);
		if (!found) return wrong(`It knows no tunnel ${tunnel}.`);
		return saysYes(found.state) ? well('It is up.') : wrong('It is down.');
	},
	route: ({ prefix, tunnel, next }, { rows }) => {
		const found = rows.filter((row) => samePrefix(row.prefix, prefix));
		if (found.length === 0) return wrong(`It has no route to ${prefix}.`);
		const right = found.find((row) => row.next === next || row.via === tunnel);
		return right
			? well(`By ${tunnel}.`)
			: wrong(`It goes by ${found[0]!.via ?? found[0]!.next ?? 'another way'}, and should go by ${tunnel}.`);
	},
	reach: ({ loss: most, milliseconds: longest, host }, { rows }) => {
		const [row] = rows;
		const sent = numberIn(row?.sent);
		const received = receivedOf(row, sent);
		if (row === undefined || received === null) return unread('It did not say how many answers came.');
		const milliseconds = numberIn(row.milliseconds);
		const loss =
			sent === null || sent === 0 ? (received > 0 ? 0 : 100) : Math.round((1 - received / sent) * 100);
		const figures: Figure[] = [{ name: 'loss', value: loss, unit: '%' }];
		if (received > 0 && milliseconds !== null)
			figures.push({ name: 'round trip', value: milliseconds, unit: 'ms' });
		if (received === 0) return wrong(`${host} does not answer.`, figures);
		if (loss > most) return wrong(`${loss} % of the answers are lost; ${most} % are allowed.`, figures);
		if (milliseconds !== null && milliseconds > longest)
			return wrong(`An answer takes ${milliseconds} ms; ${longest} ms are allowed.`, figures);
		return well(
			`${loss === 0 ? 'Nothing is lost' : `${loss} % are lost`}${milliseconds === null ? '' : `, ${milliseconds} ms there and back`}.`,
			figures
		);
	},
	path: ({ way, next }, { rows }) => {
		const hops = rows.flatMap(({ hop }) => (hop === undefined || hop === '' ? [] : [hop]));
		const figures: Figure[] = [{ name: 'hops', value: hops.length, unit: '' }];
		if (hops.length === 0 || rows.at(-1)?.hop === undefined || rows.at(-1)?.hop === '')
			return wrong('The way ends without an answer.', figures);
		if (hops[0] !== next)
			return wrong(
				way === 'direct'
					? `It does not go directly: the first step is ${hops[0]}.`
					: `It does not go by the hub: the first step is ${hops[0]}.`,
				figures
			);
		return well(way === 'direct' ? 'It goes directly.' : 'It goes by way of the hub.', figures);
	},
	neighbours: ({ cables }, { rows }) => {
		const found = compareNeighbours(cables, rows);
		const faults = found.filter(({ state }) => state !== 'right');
		const figures: Figure[] = [{ name: 'cables', value: cables.length, unit: '' }];
		return faults.length === 0
			? well(`${counted(cables.length, 'cable is', 'cables are')} where planned.`, figures)
			: wrong(faults.map(({ words }) => words).join(' '), figures);
	},
	port: ({ port, speed }, { rows }) => {
		const found = rows.find((row) => row.port === port);
		if (!found) return unread(`It did not say how its port ${port} is.`);
		if (!saysYes(found.state)) return wrong(`Port ${port} is down.`);
		const measured = numberIn(found.speed);
		const figures: Figure[] = measured === null ? [] : [{ name: 'speed', value: measured, unit: 'Mbit/s' }];
		return measured !== null && measured < speed
			? wrong(`Port ${port} came up at ${measured} Mbit/s; ${speed} are expected.`, figures)
			: well(`Up${measured === null ? '' : ` at ${measured} Mbit/s`}.`, figures);
	},
	power: ({ ports }, { rows }) => {
		const dark = ports.filter(({ port }) => !saysYes(rows.find((row) => row.port === port)?.power));
		return dark.length === 0
			? well(`${counted(ports.length, 'port gives', 'ports give')} power.`)
			: wrong(
					dark.map(({ port, feeds }) => `Port ${port} gives no power, and should feed ${feeds}.`).join(' ')
				);
	},
	clients: ({ least }, { rows }) => {
		const counts = rows.map((row) => ({ name: row.name ?? 'its network', free: numberIn(row.free) }));
		if (counts.some(({ free }) => free === null))
			return unread('It did not say how many addresses are left.');
		if (counts.length === 0) return wrong('It gives no addresses to clients.');
		const figures = counts.map(({ name, free }): Figure => ({ name, value: free!, unit: '' }));
		const empty = counts.filter(({ free }) => free! < least);
		return empty.length === 0
			? well(`${counts.map(({ name, free }) => `${free} left in ${name}`).join(', ')}.`, figures)
			: wrong(`${empty.map(({ name, free }) => `${free} left in ${name}`).join(', ')}.`, figures);
	},
	name: ({ name }, { rows }) => {
		const address = rows[0]?.address;
		return address === undefined || address === ''
			? wrong(`It cannot resolve ${name}.`)
			: well(`It is ${address}.`);
	},
	clock: ({ seconds }, { rows, askedAt, answeredAt }) => {
		const said = Date.parse(rows[0]?.time ?? '');
		if (Number.isNaN(said)) return unread('It did not say what time it is.');
		// It looked at its clock somewhere between the question and the answer
		const off = said < askedAt ? askedAt - said : said > answeredAt ? said - answeredAt : 0;
		const figures: Figure[] = [{ name: 'off', value: Math.round(off / 100) / 10, unit: 's' }];
		return off > seconds * 1000
			? wrong(`Its clock is off by ${durationWords(off)}.`, figures)
			: well('Its clock is right.', figures);
	},
	command: (check, { text }) => {
		const said = text.trim().slice(0, 400);
		return holds(check, text)
			? well(`It said “${said}”.`)
			: wrong(
					`It said “${said}”; that should ${check.expects === 'words' ? '' : 'not '}have “${check.words}”.`
				);
	}
};

/** What a unit's answer means for a check. Pure; takes time in proportion to the answer. */
export function judge(
	expects: Exclude<Expectation, { kind: 'configuration' }>,
	answered: Answered
): Judgement {
	return (JUDGES[expects.kind] as Judge<typeof expects.kind>)(expects as never, answered);
}

const durationWords = (milliseconds: number): string => {
	const seconds = milliseconds / 1000;
	if (seconds < 120) return `${seconds.toFixed(1)} s`;
	const days = Math.floor(seconds / 86_400);
	return days > 1 ? `${days} days` : `${Math.round(seconds / 60)} minutes`;
};

/** How many answers came: as a number, by what was lost, or as a plain yes or no. */
function receivedOf(row: Groups | undefined, sent: number | null): number | null {
	if (!row) return null;
	const lost = numberIn(row.lost);
	if (lost !== null && sent !== null) return Math.max(0, sent - lost);
	const received = numberIn(row.received);
	if (received !== null) return received;
	if (row.received === undefined) return null;
	return saysYes(row.received) ? (sent ?? 1) : 0;
}

function samePrefix(said: string | undefined, wanted: string): boolean {
	if (said === undefined) return false;
	if (said === wanted) return true;
	const [a, b] = [parsePrefix(said === 'default' ? '0.0.0.0/0' : said), parsePrefix(wanted)];
	return a !== null && b !== null && printPrefix(a) === printPrefix(b);
}

export interface FoundCable {
	readonly state: 'right' | 'wrong port' | 'missing' | 'wrong unit' | 'unknown';
	/** The port at which it was found, or should be. */
	readonly port: string;
	readonly words: string;
}

const plain = (chassis: string | undefined): string =>
	(chassis ?? '').toLowerCase().replace(/[^0-9a-f]/g, '');

/**
 * What a unit hears at its ports, against what should be plugged in. Law: each planned cable is told once, and each
 * neighbour that belongs to none is told once, as `unknown`; identity is the chassis, names are not unique.
 */
export function compareNeighbours(
	cables: Extract<Expectation, { kind: 'neighbours' }>['cables'],
	rows: readonly Groups[]
): readonly FoundCable[] {
	const explained = new Set<Groups>();
	const found = cables.map(({ port, far, farPort, chassis }): FoundCable => {
		// Of a unit whose hardware address is not known, whatever is in its port counts
		const own = rows.filter((row) =>
			chassis === null ? row.port === port : plain(row.chassis) === plain(chassis)
		);
		const at = own.find((row) => row.port === port) ?? own[0];
		if (at) {
			explained.add(at);
			if (at.port !== port)
				return {
					state: 'wrong port',
					port: at.port!,
					words: `${far} is in port ${at.port}, planned ${port}.`
				};
			const said = at.neighbour_port;
			return said === undefined || said === '' || said === farPort
				? { state: 'right', port, words: `${far} is in port ${port}.` }
				: {
						state: 'wrong port',
						port,
						words: `Port ${port} leads to port ${said} of ${far}, planned ${farPort}.`
					};
		}
		const there = rows.find((row) => row.port === port);
		if (
			there &&
			chassis !== null &&
			!cables.some((other) => plain(other.chassis ?? '') === plain(there.chassis))
		) {
			explained.add(there);
			return {
				state: 'wrong unit',
				port,
				words: `In port ${port} is ${nameOf(there)}, planned ${far}.`
			};
		}
		return { state: 'missing', port, words: `${far} is not in port ${port}.` };
	});
	const unknown = rows
		.filter((row) => !explained.has(row))
		.map((row): FoundCable => ({
			state: 'unknown',
			port: row.port ?? '',
			words: `In port ${row.port} is ${nameOf(row)}, which is not planned.`
		}));
	return [...found, ...unknown];
}

const nameOf = ({ name, description, chassis }: Groups): string =>
	`${name === undefined || name === '' ? chassis : name}${description === undefined || description === '' ? '' : ` (${description})`}`;
