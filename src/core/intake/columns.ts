import { writtenAsMac } from './label/mac';
import { readLines, type Line, type Lines } from './lines';
import { fittingModels, normalSerial, readSerial, type SerialModel } from './label/serial';

/** What a column of a list can be about. */
export const MEANINGS = ['serial', 'mac', 'claim', 'site', 'position', 'profile', 'firmware'] as const;
export type Meaning = (typeof MEANINGS)[number];

/** What each is called: the heading that is always understood. */
export const MEANING_WORDS: Readonly<Record<Meaning, string>> = {
	serial: 'serial number',
	mac: 'MAC address',
	claim: 'claim code',
	site: 'site',
	position: 'position',
	profile: 'profile',
	firmware: 'firmware'
};

const HEADINGS: readonly [Meaning, RegExp][] = [
	['mac', /^(mac|mac ?address|eui|eui-?48|hardware ?address|ethernet( ?address)?)$/],
	['claim', /^(claim|claim ?code|code|key|secret|activation( ?code)?)$/],
	['site', /^(site|site ?name|branch|location|shop|clinic|ship(ped)? ?to|deliver(y|ed)? ?to)$/],
	['position', /^(position|position ?name|place)$/],
	['profile', /^(profile|profile ?name)$/],
	['firmware', /^(firmware|firmware ?version|release|software|software ?version|os ?version)$/],
	['serial', /^(serial|serial ?(number|no\.?|nr\.?)|s\/?n|sn)$/]
];

/** Names that are known where the list is read; told apart without regard to case. */
export interface KnownNames {
	readonly sites: readonly string[];
	readonly positions: readonly string[];
	readonly profiles: readonly string[];
}
const NO_NAMES: KnownNames = { sites: [], positions: [], profiles: [] };

export interface ListColumn {
	/** As it was given; empty without headings. */
	readonly heading: string;
	readonly samples: readonly string[];
	readonly meaning: Meaning | null;
	/** What says so. */
	readonly by: 'heading' | 'content' | null;
}
export interface ListLayout {
	/** The rows above the first unit: the headings, and what else stands over them. */
	readonly above: readonly Line[];
	readonly heading: Line | null;
	readonly columns: readonly ListColumn[];
}

/** How a list will be read, for people to look at before anything is taken in. */
export interface ColumnsRead {
	/** `supplier`: as that supplier's lists were read before. */
	readonly columns: readonly (Omit<ListColumn, 'by'> & { readonly by: ListColumn['by'] | 'supplier' })[];
	/** Rows above the first unit that are none. */
	readonly above: number;
	/** Whose list it is, when one like it came before. */
	readonly supplier: string | null;
}

/** A heading this far down is none. */
const MOST_ABOVE = 20;
/** So many rows say what a column is about. */
const ROWS_LOOKED_AT = 200;
const SAMPLES = 3;
/** Of the cells of a column that many must be of a kind for it to be about that. */
const MOST_OF_THEM = 0.6;
const HARDLY_ANY = 0.2;

/**
 * How a list's columns are to be read: by their headings in whichever words and on whichever of the first
 * lines they stand, and by what is in them. Null when there are no columns: one cell a row, or rows of
 * words between spaces.
 * Laws: no two columns have the same meaning; reordering the columns reorders the answer and changes
 * nothing else, unless two columns fit one meaning equally well.
 */
export function layoutOf(
	{ delimiter, lines }: Lines,
	models: readonly SerialModel[],
	names: KnownNames = NO_NAMES
): ListLayout | null {
	const head = lines.slice(0, MOST_ABOVE + ROWS_LOOKED_AT);
	// Between spaces only one-word headings on the first line make columns
	if (delimiter === null && !meaningsOf(lines[0]?.cells ?? []).includes('serial')) return null;
	const named = head.slice(0, MOST_ABOVE).findIndex(({ cells }) => meaningsOf(cells).includes('serial'));
	const firstUnit = head.findIndex(({ cells }) => cells.some((cell) => isSerial(cell, models)));
	const headingAt =
		named >= 0 && (firstUnit < 0 || named < firstUnit) ? named : unnamedHeading(head, models, firstUnit);
	const above = headingAt < 0 ? [] : lines.slice(0, headingAt + 1);
	const rows = head.slice(above.length).slice(0, ROWS_LOOKED_AT);
	const heading = headingAt < 0 ? null : head[headingAt]!;
	const width = Math.max(heading?.cells.length ?? 0, ...rows.map(({ cells }) => cells.length));
	if (width < 2) return null;
	const given = meaningsOf(heading?.cells ?? []);
	const cellsOf = (column: number) => rows.flatMap(({ cells }) => cells[column] || []);
	const shares = Array.from({ length: width }, (_, column) => sharesOf(cellsOf(column), models, names));
	const meanings = assign(given, shares);
	return {
		above,
		heading,
		columns: Array.from({ length: width }, (_, column) => {
			const meaning = meanings[column] ?? null;
			return {
				heading: heading?.cells[column] ?? '',
				samples: [...new Set(cellsOf(column))].slice(0, SAMPLES),
				meaning,
				by: meaning === null ? null : given[column] === meaning ? 'heading' : 'content'
			};
		})
	};
}

/** The same of text as it was given. Only its beginning is looked at, so that it costs little however long it is. */
export const readLayout = (
	text: string,
	models: readonly SerialModel[],
	names?: KnownNames
): ListLayout | null => layoutOf(readLines(beginningOf(text)), models, names);

const LOOKED_AT = 40_000;
/** Whole lines only: half a serial number is none. */
const beginningOf = (text: string): string =>
	text.length <= LOOKED_AT ? text : text.slice(0, text.lastIndexOf('\n', LOOKED_AT) + 1 || LOOKED_AT);

/** By what a supplier's lists are known again: their headings, or else how many columns they have. */
export const layoutSignature = ({ heading, columns }: ListLayout): string =>
	heading === null ? `${columns.length} columns` : heading.cells.map(plain).join(' | ').slice(0, 500);

const plain = (cell: string) =>
	cell
		.toLowerCase()
		.replace(/[_\s]+/g, ' ')
		.trim();

export const meaningsOf = (row: readonly string[]): (Meaning | null)[] =>
	row.map((cell) => HEADINGS.find(([, form]) => form.test(plain(cell)))?.[0] ?? null);

/**
 * The row right above the first unit, when it reads like headings in words of its own. Over a single unit
 * it is taken for a unit that cannot be read: nothing says that there are columns.
 */
function unnamedHeading(lines: readonly Line[], models: readonly SerialModel[], firstUnit: number): number {
	if (firstUnit < 1 || firstUnit > MOST_ABOVE) return -1;
	const hasSerial = ({ cells }: Line) => cells.some((cell) => isSerial(cell, models));
	if (!lines.slice(firstUnit + 1).some(hasSerial)) return -1;
	const above = lines[firstUnit - 1]!.cells.filter(Boolean);
	const wordy = above.length >= 2 && above.every((cell) => !writtenAsMac(cell) && !LIKE_A_CODE.test(cell));
	return wordy ? firstUnit - 1 : -1;
}
/** Letters and digits mixed, as in serial numbers and claim codes, and not as in words. */
const LIKE_A_CODE = /^(?=.*\d)[0-9A-Z-]{6,}$/i;

const isSerial = (cell: string, models: readonly SerialModel[]): boolean =>
	fittingModels(normalSerial(cell), models).length > 0;
const isNearlySerial = (cell: string, models: readonly SerialModel[]): boolean => {
	const reading = readSerial(cell, models);
	return reading.kind === 'match' || reading.repairs.length > 0;
};
/** In one piece, or in groups of four, and with a digit. */
const CLAIM_CODE = /^(?=.*\d)([0-9A-Z]{8,32}|([0-9A-Z]{4}[- ])+[0-9A-Z]{2,4})$/i;

type Shares = Readonly<Record<Meaning, number>>;

function sharesOf(cells: readonly string[], models: readonly SerialModel[], names: KnownNames): Shares {
	const share = (is: (cell: string) => boolean) =>
		cells.length === 0 ? 0 : cells.filter(is).length / cells.length;
	const oneOf = (known: readonly string[]) => {
		const lower = new Set(known.map((name) => name.toLowerCase()));
		return (cell: string) => lower.has(cell.toLowerCase());
	};
	const serial = share((cell) => isNearlySerial(cell, models));
	const mac = share(writtenAsMac);
	// Every unit has its own; what repeats from row to row is an article's number or a date
	const distinct = cells.length === 0 ? 0 : new Set(cells).size / cells.length;
	return {
		serial,
		mac,
		claim: share((cell) => CLAIM_CODE.test(cell)) * distinct * (1 - Math.max(serial, mac)),
		site: share(oneOf(names.sites)),
		position: share(oneOf(names.positions)),
		profile: share(oneOf(names.profiles)),
		// Numbers with dots are many things: only its heading says it
		firmware: 0
	};
}

/** Headings count first, unless what is below them is of another kind; what is left goes by content, the surest first. */
function assign(given: readonly (Meaning | null)[], shares: readonly Shares[]): (Meaning | null)[] {
	const found: (Meaning | null)[] = shares.map(() => null);
	const contradicted = (column: number, meaning: Meaning) =>
		(meaning === 'serial' || meaning === 'mac') &&
		shares[column]![meaning] < HARDLY_ANY &&
		MEANINGS.some(
			(other) => other !== meaning && other !== 'claim' && shares[column]![other] >= MOST_OF_THEM
		);
	given.forEach((meaning, column) => {
		if (meaning && !found.includes(meaning) && !contradicted(column, meaning)) found[column] = meaning;
	});
	const likely = shares
		.flatMap((share, column) => MEANINGS.map((meaning) => ({ column, meaning, share: share[meaning] })))
		.filter(({ share }) => share >= MOST_OF_THEM)
		.sort((a, b) => b.share - a.share || MEANINGS.indexOf(a.meaning) - MEANINGS.indexOf(b.meaning));
	for (const { column, meaning } of likely)
		if (found[column] === null && !found.includes(meaning)) found[column] = meaning;
	return found;
}
