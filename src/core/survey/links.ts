import type { Found, FoundThing } from './things';

interface End {
	/** The key of a thing. */
	readonly thing: string;
	/** As the port is called there; empty where nobody says. */
	readonly port: string;
}
/** What is plugged into what. */
export interface Link {
	readonly from: End;
	readonly to: End;
	/** `both` ends say so; `one` does and the other, which was asked, does not; `unasked`: the other could not be asked. */
	readonly seen: 'both' | 'one' | 'unasked';
	/** In Mbit/s; null where nobody says. */
	readonly speed: number | null;
}

interface Row {
	readonly from: End;
	readonly to: End;
	readonly speed: number | null;
}
const samePort = (a: string, b: string): boolean => a !== '' && a.toLowerCase() === b.toLowerCase();

/**
 * The cables between the things of a survey, by what each hears at its ports. Laws: a cable that both ends tell of is one; none
 * is lost, also where something hears itself; the order in which things were seen changes nothing but which end comes first.
 */
export function findLinks({ things, keyOfHeard }: Found): readonly Link[] {
	const pairs = new Map<string, Row[]>();
	const asked = new Set(things.filter(wasAsked).map(({ key }) => key));
	for (const { key, sightings } of things) {
		// A unit under two addresses says the same twice
		const told = new Set<string>();
		for (const { heard, speeds } of sightings)
			for (const row of heard) {
				const far = keyOfHeard(row);
				const once = JSON.stringify([row.port, far, row.farPort]);
				if (told.has(once)) continue;
				told.add(once);
				const pair = JSON.stringify([key, far].sort());
				const rows = pairs.get(pair) ?? [];
				rows.push({
					from: { thing: key, port: row.port },
					to: { thing: far, port: row.farPort },
					speed: speeds[row.port] ?? null
				});
				pairs.set(pair, rows);
			}
	}
	return [...pairs.values()].flatMap((rows) => linksOfPair(rows, asked));
}
export const wasAsked = ({ sightings }: FoundThing): boolean =>
	sightings.some(({ outcome }) => outcome === 'in');

function linksOfPair(rows: readonly Row[], asked: ReadonlySet<string>): readonly Link[] {
	const left = new Set(rows);
	const links: Link[] = [];
	for (const row of rows) {
		if (!left.delete(row)) continue;
		const others = [...left].filter(
			(other) => other.from.thing === row.to.thing && other.to.thing === row.from.thing
		);
		const other =
			others.find(({ from, to }) => samePort(from.port, row.to.port) && samePort(to.port, row.from.port)) ??
			others.find(({ from, to }) => samePort(from.port, row.to.port) || samePort(to.port, row.from.port)) ??
			(others.length === 1 && (row.to.port === '' || others[0]!.to.port === '') ? others[0] : undefined);
		if (other) left.delete(other);
		links.push({
			from: { ...row.from, port: row.from.port || (other?.to.port ?? '') },
			to: { ...row.to, port: other?.from.port || row.to.port },
			seen: other ? 'both' : asked.has(row.to.thing) ? 'one' : 'unasked',
			speed: row.speed ?? other?.speed ?? null
		});
	}
	return links;
}
