import { patternOf, type Groups } from '../pattern';
import { elementsAt, parseXml } from '../xml';
import { askKind, cannotBeAsked, type Ask } from './asks';
import type { Reading, Talk } from './talk';

/** What an answer says, by the names that its kind gives; a text only where its kind is one. */
export type Answer =
	| { readonly ok: true; readonly text: string; readonly rows: readonly Groups[] }
	| { readonly ok: false; readonly problem: string };

/** No unit has more neighbours, ports or tunnels than that. */
const MOST_ROWS = 2_000;
const LONGEST_QUOTED = 200;

/**
 * Reads what a unit printed when it was asked, by its pack's rule. What cannot be read is told in the unit's own
 * words, and never taken for an answer. Takes time in proportion to what was printed.
 */
export function readAnswer(talk: Talk, ask: Ask, printed: string): Answer {
	const rule = talk.asks[ask];
	const { words, whole, rows: many } = askKind(ask);
	if (!rule) return { ok: false, problem: cannotBeAsked(ask) };
	const error = errorIn(talk, printed);
	if (error !== null) return { ok: false, problem: `Asked ${words}, it answered with an error: “${error}”.` };
	if (whole) return { ok: true, text: printed, rows: [] };
	const rows = rowsOf(rule.read!, printed);
	if (rows === null || (rows.length === 0 && !many))
		return { ok: false, problem: `What it answered could not be read as ${words}: “${quoted(printed)}”.` };
	return { ok: true, text: printed, rows };
}

/** The first line that a pack calls an error; null when there is none. */
export function errorIn({ errors }: Pick<Talk, 'errors'>, printed: string): string | null {
	for (const error of errors) {
		const place = patternOf(error).place(printed);
		if (!place) continue;
		const from = printed.lastIndexOf('\n', place.start) + 1;
		const to = printed.indexOf('\n', Math.max(place.end - 1, from));
		return quoted(printed.slice(from, to < 0 ? undefined : to));
	}
	return null;
}

const quoted = (text: string): string => {
	const bare = text.trim();
	return bare.length > LONGEST_QUOTED ? `${bare.slice(0, LONGEST_QUOTED)}…` : bare;
};

function rowsOf(reading: Reading, printed: string): readonly Groups[] | null {
	if ('first' in reading) {
		const found = patternOf(reading.first).first(printed);
		return found ? [found] : [];
	}
	if ('each' in reading) {
		const rows = patternOf(reading.each).each(printed, MOST_ROWS);
		const isNone = () => reading.none !== undefined && patternOf(reading.none).place(printed) !== null;
		return rows.length > 0 || printed.trim() === '' || isNone() ? rows : null;
	}
	if ('json' in reading) return jsonRows(reading, printed);
	return 'xml' in reading ? xmlRows(reading, printed) : null;
}

function jsonRows(
	{ json, rows }: Extract<Reading, { json: unknown }>,
	printed: string
): readonly Groups[] | null {
	let answer: unknown;
	try {
		answer = JSON.parse(printed);
	} catch {
		return null;
	}
	const items = rows === undefined ? [answer] : valueAt(answer, rows);
	if (!Array.isArray(items)) return null;
	const read: Groups[] = [];
	for (const item of items.slice(0, MOST_ROWS)) {
		const row: Record<string, string> = {};
		for (const [name, pointer] of Object.entries(json)) {
			const value = valueAt(item, pointer);
			if (typeof value === 'string' || typeof value === 'number' || typeof value === 'boolean')
				row[name] = String(value);
		}
		if (Object.keys(row).length > 0) read.push(row);
	}
	return read;
}

function xmlRows(
	{ xml, rows }: Extract<Reading, { xml: unknown }>,
	printed: string
): readonly Groups[] | null {
	const answer = parseXml(printed);
	if (!answer.ok) return null;
	const items =
		rows === undefined
			? [answer.elements]
			: elementsAt(answer.elements, rows).map(({ children }) => children);
	const read: Groups[] = [];
	for (const item of items.slice(0, MOST_ROWS)) {
		const row: Record<string, string> = {};
		for (const [name, path] of Object.entries(xml)) {
			const [found] = elementsAt(item, path);
			if (found) row[name] = found.text;
		}
		if (Object.keys(row).length > 0) read.push(row);
	}
	return read;
}

/** What a JSON pointer (RFC 6901) leads to; undefined when it leads nowhere. */
function valueAt(value: unknown, pointer: string): unknown {
	if (pointer === '') return value;
	let here = value;
	for (const step of pointer.split('/').slice(1)) {
		const key = step.replaceAll('~1', '/').replaceAll('~0', '~');
		if (typeof here !== 'object' || here === null || !Object.hasOwn(here, key)) return undefined;
		here = (here as Record<string, unknown>)[key];
	}
	return here;
}
