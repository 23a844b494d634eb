import { closest, distance } from 'fastest-levenshtein';
import type { Table } from './source';

/** Which of a source's columns is which of ours; the column that tells its records apart is named beside. */
export interface Mapping {
	readonly key: string;
	readonly columns: readonly { readonly from: string; readonly to: string }[];
}
/** A column that can be given, and by which other words it goes. */
export interface Target {
	readonly to: string;
	readonly also?: readonly string[];
}
/** A record, with what it says of each of our columns; what it leaves empty it does not say. */
export interface SourceRow {
	readonly key: string;
	/** Counted from 1, as the source gave it. */
	readonly line: number;
	readonly cells: Readonly<Record<string, string>>;
	readonly problems: readonly string[];
}
export type MappedTable =
	| {
			readonly ok: true;
			readonly rows: readonly SourceRow[];
			/** Columns that were chosen and that none of its records has now: nothing is said of them. */
			readonly missing: readonly string[];
	  }
	| { readonly ok: false; readonly problem: string };

const quoted = (names: readonly string[]) => names.map((name) => `“${name}”`).join(', ');

/**
 * A source's records in our own columns. Rejects a source that has not every column that was chosen: what is missing then
 * is no statement that everything is empty. Of one whose records leave out what they have not, only the key and what is
 * `needed` must be there. Rejects, too, one without any record. Records whose key is empty or stands more than once have
 * that as their problem, each of them.
 */
export function mapTable(
	{ headings, rows, isSparse }: Table,
	{ key, columns }: Mapping,
	needed: readonly string[]
): MappedTable {
	if (rows.length === 0)
		return {
			ok: false,
			problem: 'There is no record in it. That is taken for a fault: nothing is gone for that.'
		};
	const missing = columns.filter(({ from }) => !headings.includes(from));
	const gone = missing.filter(({ to }) => !isSparse || needed.includes(to)).map(({ from }) => from);
	if (!headings.includes(key) && !gone.includes(key)) gone.unshift(key);
	if (gone.length > 0) {
		const known = new Set(columns.map(({ from }) => from));
		const fresh = headings.filter((name) => name !== '' && !known.has(name) && name !== key);
		return {
			ok: false,
			problem: `It has other columns than before: ${quoted(gone)} ${gone.length === 1 ? 'is' : 'are'} gone${fresh.length > 0 ? `; there is ${quoted(fresh.slice(0, 8))}` : ''}. Choose the columns again.`
		};
	}
	const keyAt = headings.indexOf(key);
	const at = columns.flatMap(({ from, to }) =>
		headings.includes(from) ? [[to, headings.indexOf(from)] as const] : []
	);
	const times = new Map<string, number>();
	for (const row of rows) times.set(row[keyAt]!, (times.get(row[keyAt]!) ?? 0) + 1);
	return {
		ok: true,
		missing: missing.map(({ from }) => from),
		rows: rows.map((row, index) => {
			const own = row[keyAt]!;
			const problems =
				own === ''
					? [`“${key}” is empty, which tells the records apart.`]
					: times.get(own)! > 1
						? [`“${own}” stands ${times.get(own)} times under “${key}”.`]
						: own.length > LONGEST_KEY
							? [`“${key}” is longer than ${LONGEST_KEY} characters.`]
							: [];
			const cells: Record<string, string> = {};
			for (const [to, from] of at) if (row[from] !== '') cells[to] = row[from]!;
			return { key: own, line: index + 1, cells, problems };
		})
	};
}
export const LONGEST_KEY = 200;

const plain = (text: string) =>
	text
		.replace(/([a-z])([A-Z])/g, '$1 $2')
		.toLowerCase()
		.replace(/[_\-/.\s]+/g, ' ')
		.trim();
const KEYS = ['id', 'key', 'uuid', 'number', 'site id', 'code', 'serial number', 'serial', 'site', 'name'];
const FAR = 2;

/** A first guess at a mapping, by what the columns are called. Law: no target is given twice. */
export function suggestMapping(headings: readonly string[], targets: readonly Target[]): Mapping {
	const words = new Map(
		targets.flatMap(({ to, also = [] }) => [to, ...also].map((word) => [plain(word), to] as const))
	);
	const taken = new Set<string>();
	const claim = (to: string | undefined) => (to === undefined || taken.has(to) ? null : (taken.add(to), to));
	/** The whole heading first, then its last part: `address/city` is a city. */
	const exact = headings.map((heading) =>
		claim(words.get(plain(heading)) ?? words.get(plain(heading.split('/').at(-1)!)))
	);
	const columns = headings.flatMap((from, index) => {
		const name = plain(from);
		let to = exact[index] ?? null;
		if (!to && name.length > 5) {
			const near = closest(name, [...words.keys()]);
			if (distance(name, near) <= FAR) to = claim(words.get(near));
		}
		return to && from !== '' ? [{ from, to }] : [];
	});
	const key = KEYS.map((word) => headings.find((heading) => plain(heading) === word)).find(Boolean);
	return { key: key ?? headings[0] ?? '', columns };
}
