import Papa from 'papaparse';
import {
	nextPrefix,
	offsetAddress,
	parseAddress,
	parseInterface,
	parsePrefix,
	printAddress,
	printInterface,
	printPrefix
} from '../../address';

/** What is pasted from a spreadsheet, as cells: rows by line, cells by tab, quoted as spreadsheets quote. */
export function readPaste(text: string): readonly (readonly string[])[] {
	const body = text.replace(/\r\n?/g, '\n').replace(/\n$/, '');
	if (body === '') return [];
	return Papa.parse<string[]>(body, { delimiter: '\t', newline: '\n' }).data;
}

/** The cells as a spreadsheet takes them. Law: reading them gives the same cells, when each row has as many. */
export const writePaste = (cells: readonly (readonly string[])[]): string =>
	Papa.unparse(cells as string[][], { delimiter: '\t', newline: '\n' });

/**
 * The value that follows in a series: the next number at the end of a text (with its leading zeros), the
 * next address, the next block of the same length. The same again when nothing counts.
 */
export function following(text: string, by: number): string {
	const prefix = parsePrefix(text);
	if (prefix) {
		const next = nextPrefix(prefix, BigInt(by));
		return next ? printPrefix(next) : text;
	}
	const face = parseInterface(text);
	if (face) {
		// The same host of the next block
		const block = nextPrefix(face, BigInt(by));
		return block
			? printInterface({
					...block,
					address: { version: block.version, value: block.base + face.address.value - face.base }
				})
			: text;
	}
	const address = parseAddress(text);
	if (address) {
		const next = offsetAddress(address, BigInt(by));
		return next ? printAddress(next) : text;
	}
	const number = /^(.*?)(\d{1,15})(\D*)$/.exec(text);
	if (!number) return text;
	const [, before, digits, after] = number;
	const next = Number(digits) + by;
	return next < 0 ? text : `${before}${String(next).padStart(digits!.length, '0')}${after}`;
}

/**
 * So many more values after the given ones: two that count on by a step are gone on with by that step;
 * otherwise the last is counted on by one.
 */
export function seriesAfter(given: readonly string[], count: number): readonly string[] {
	const last = given.at(-1);
	if (last === undefined) return [];
	const step = given.length > 1 ? stepBetween(given.at(-2)!, last) : 1;
	return Array.from({ length: count }, (_, index) => following(last, step * (index + 1)));
}

const MOST_STEPS = 4096;

function stepBetween(one: string, other: string): number {
	const counted = (text: string) => {
		const number = /(\d{1,15})\D*$/.exec(text);
		return number && !text.includes('/') && !parseAddress(text) ? Number(number[1]) : null;
	};
	const [from, to] = [counted(one), counted(other)];
	if (from !== null && to !== null) return following(one, to - from) === other ? to - from : 1;
	for (let step = 1; step <= MOST_STEPS; step++) if (following(one, step) === other) return step;
	return 1;
}

/** A change of one cell, so that it can be undone and done again. */
export interface CellChange {
	readonly row: string;
	readonly column: string;
	readonly before: string;
	readonly after: string;
}
/** What was done, in steps; each undone as a whole. */
export interface History {
	readonly done: readonly (readonly CellChange[])[];
	readonly undone: readonly (readonly CellChange[])[];
}
export const NO_HISTORY: History = { done: [], undone: [] };
const MOST_STEPS_KEPT = 200;

export const didStep = ({ done }: History, step: readonly CellChange[]): History =>
	step.length === 0 ? { done, undone: [] } : { done: [...done.slice(1 - MOST_STEPS_KEPT), step], undone: [] };

/** The history one step back, and what to set. Law: undoing and doing again changes nothing. */
export function undoStep(history: History): {
	readonly history: History;
	readonly step: readonly CellChange[];
} {
	const step = history.done.at(-1);
	if (!step) return { history, step: [] };
	return { history: { done: history.done.slice(0, -1), undone: [...history.undone, step] }, step };
}
export function redoStep(history: History): {
	readonly history: History;
	readonly step: readonly CellChange[];
} {
	const step = history.undone.at(-1);
	if (!step) return { history, step: [] };
	return { history: { done: [...history.done, step], undone: history.undone.slice(0, -1) }, step };
}
