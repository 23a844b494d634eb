import { lstat, mkdir, readdir, readFile } from 'node:fs/promises';
import { join } from 'node:path';
import {
	joined,
	MOST_RECORDS,
	nextInLink,
	ofCells,
	readTable,
	type Table,
	type TableReading
} from '../../../core/connector';
import { cellsOfXlsx, decodeText, isXlsx } from '../list-file';
import { askOutward, NotAsked, type OutwardAnswer } from '../outward';
import { currentSettings } from '../settings';
import { GivenUp, offMainThread, task } from '../threads';

/** Where a connector reads, and how. */
export interface Source {
	readonly id: string;
	/** Null: the newest file of its folder. */
	readonly url: string | null;
	readonly headers: Readonly<Record<string, string>>;
	readonly records: string;
	readonly nextPage: string;
}
export type Collected =
	| { readonly ok: true; readonly table: Table; readonly file: string }
	| { readonly ok: false; readonly problem: string };

const LARGEST = 32 * 1024 * 1024;
const MOST_PAGES = 1_000;
const PAGE_WITHIN_MS = 30_000;
/** All of its pages; a source that is slower than that is not read to its end. */
const WITHIN_MS = 10 * 60_000;
const TRIES = 3;
const PAUSE_MS = 1_000;
const LONGEST_PAUSE_MS = 10_000;
const READ_WITHIN_MS = 60_000;
const ACCEPT =
	'application/json, text/csv;q=0.9, application/vnd.openxmlformats-officedocument.spreadsheetml.sheet;q=0.8, */*;q=0.1';

const refuse = (problem: string): Collected => ({ ok: false, problem });

/** All that a source has now, as one table; or why not, in words for whoever keeps it. */
export const collect = (source: Source): Promise<Collected> =>
	source.url === null ? fromFolder(source) : fromAddress(source, source.url);

async function fromAddress(source: Source, first: string): Promise<Collected> {
	const begun = performance.now();
	const pages: Table[] = [];
	const asked = new Set<string>();
	let [records, octets] = [0, 0];
	for (let url: string | null = first; url !== null;) {
		if (asked.has(url)) return refuse(`Its pages go round in a circle: ${pathOf(url)} comes twice.`);
		if (asked.size === MOST_PAGES)
			return refuse(`It has more than ${MOST_PAGES.toLocaleString('en')} pages.`);
		if (performance.now() - begun > WITHIN_MS) return refuse('It takes more than ten minutes to read.');
		asked.add(url);
		const answer = await ask(source, url);
		if (typeof answer === 'string') return refuse(asked.size > 1 ? `Page ${asked.size}: ${answer}` : answer);
		if ((octets += answer.body.length) > LARGEST) return refuse(TOO_LARGE);
		const reading = await read(answer.body, source);
		if (!reading.ok)
			return refuse(asked.size > 1 ? `Page ${asked.size}: ${reading.problem}` : reading.problem);
		if ((records += reading.table.rows.length) > MOST_RECORDS)
			return refuse(`There are more than ${MOST_RECORDS.toLocaleString('en')} in it.`);
		pages.push(reading.table);
		const link = answer.headers.link;
		const next: string | null = reading.next ?? nextInLink(Array.isArray(link) ? link.join(',') : link);
		if (next === null) break;
		if (!URL.canParse(next, url))
			return refuse(`The next page lies at “${next.slice(0, 80)}”, which is no address.`);
		const onwards: URL = new URL(next, url);
		// What the header holds is for nobody else
		if (onwards.origin !== new URL(first).origin)
			return refuse(`The next page lies somewhere else, at ${onwards.origin}. It was not asked.`);
		url = onwards.href;
	}
	return { ok: true, table: joined(pages), file: '' };
}
const TOO_LARGE = `It is larger than ${LARGEST / 1024 / 1024} MB.`;
const pathOf = (url: string): string => new URL(url).pathname.slice(0, 100);

/** One page, asked again where that may help; or what was wrong with it. */
async function ask({ headers }: Source, url: string): Promise<OutwardAnswer | string> {
	for (let tried = 1; ; tried++) {
		let pause = PAUSE_MS * tried;
		let problem: string;
		try {
			const answer = await askOutward({
				url,
				method: 'GET',
				headers: { accept: ACCEPT, ...headers },
				withinMs: PAGE_WITHIN_MS,
				mostOctets: LARGEST
			});
			if (answer.status >= 200 && answer.status < 300) return answer.isCut ? TOO_LARGE : answer;
			problem = statusWords(answer);
			if (answer.status !== 429 && answer.status < 500) return problem;
			const wanted = Number(answer.headers['retry-after']) * 1000;
			if (wanted > LONGEST_PAUSE_MS) return problem;
			if (wanted > 0) pause = wanted;
		} catch (error) {
			if (error instanceof NotAsked) return error.message;
			problem = `It is not reached: ${((error as NodeJS.ErrnoException).code ?? (error as Error).message).slice(0, 200)}.`;
		}
		if (tried === TRIES) return `${problem} It was asked ${TRIES} times.`;
		await new Promise((resolve) => setTimeout(resolve, pause));
	}
}

function statusWords({ status, headers }: OutwardAnswer): string {
	if (status >= 300 && status < 400)
		return `It sends elsewhere${headers.location ? `, to ${headers.location.slice(0, 120)}` : ''} (${status}); that is not followed. Give that address if it is right.`;
	if (status === 401 || status === 403) return `It does not let Limen in (${status}): look at the header.`;
	if (status === 404 || status === 410) return `There is nothing at this address (${status}).`;
	return status === 429 ? 'It is asked too often (429).' : `It answers with ${status}.`;
}

const READ_TABLE = task<Parameters<typeof readTable>, TableReading>('readTable');

async function read(content: Buffer, { records, nextPage }: Source): Promise<TableReading> {
	if (isXlsx(content)) {
		const sheet = await cellsOfXlsx(content);
		return sheet.ok ? ofCells(sheet.cells) : sheet;
	}
	const text = decodeText(content);
	if (!text.ok) return text;
	try {
		return await offMainThread(READ_TABLE, [text.text, { records, next: nextPage }], READ_WITHIN_MS);
	} catch (error) {
		if (!(error instanceof GivenUp)) throw error;
		return { ok: false, problem: 'It takes too long to read.' };
	}
}

/** Where people put files for a connector; each has a folder of its own, so that nobody reads another customer's. */
export const folderOf = (id: string): string => {
	const { LIMEN_CONNECTOR_FOLDER, LIMEN_STATE_DIR } = currentSettings();
	return join(LIMEN_CONNECTOR_FOLDER ?? join(LIMEN_STATE_DIR, 'connectors'), id);
};

/** The newest file of a connector's folder, and what tells it from an earlier one; null: there is none. */
export async function newestFile(
	id: string
): Promise<{ readonly path: string; readonly mark: string } | null> {
	const folder = folderOf(id);
	const names = await readdir(folder).catch(() => []);
	const files = await Promise.all(
		names
			.filter((name) => /^[^.].*\.(csv|json|xlsx|txt|tsv)$/i.test(name))
			.slice(0, MOST_FILES)
			.map(async (name) => ({ name, about: await lstat(join(folder, name)).catch(() => null) }))
	);
	const [newest] = files
		// A link could lead anywhere
		.flatMap(({ name, about }) => (about?.isFile() ? [{ name, about }] : []))
		.sort((one, other) => other.about.mtimeMs - one.about.mtimeMs);
	if (!newest) return null;
	const { mtimeMs, size } = newest.about;
	return { path: join(folder, newest.name), mark: `${newest.name} ${mtimeMs} ${size}` };
}
const MOST_FILES = 1_000;

async function fromFolder(source: Source): Promise<Collected> {
	// Whoever looks finds it there, to put files into
	await mkdir(folderOf(source.id), { recursive: true });
	const before = await newestFile(source.id);
	if (!before) return refuse(`There is no file in ${folderOf(source.id)}.`);
	const { size } = await lstat(before.path);
	if (size > LARGEST) return refuse(TOO_LARGE);
	const content = await readFile(before.path);
	// Somebody was still writing it
	if ((await newestFile(source.id))?.mark !== before.mark || content.length !== size)
		return refuse('The file is being written just now.');
	const reading = await read(content, source);
	return reading.ok ? { ok: true, table: reading.table, file: before.mark } : refuse(reading.problem);
}
