import type { SvelteMap } from 'svelte/reactivity';
import {
	didStep,
	MASK,
	NO_HISTORY,
	readPaste,
	readValue,
	redoStep,
	seriesAfter,
	undoStep,
	writePaste,
	type CellChange,
	type History
} from '$core/profile';
import {
	cellKey,
	holderOf,
	type SheetCellProblem,
	type SheetColumn,
	type SheetRow,
	type SheetTarget
} from './types';

/** What a sheet shows, as its owner gives it. */
interface Shown {
	readonly columns: readonly SheetColumn[];
	readonly rows: readonly SheetRow[];
	readonly mayWrite: boolean;
	/** What the last attempt to save found wrong. */
	readonly wrong: readonly SheetCellProblem[];
	/** What was typed and is not saved, by holder and field. */
	readonly edits: SvelteMap<string, string>;
}
interface Cell {
	readonly row: number;
	readonly column: number;
}

const clamp = (value: number, most: number) => Math.max(0, Math.min(most, value));

/** Work on a value sheet: which cells are chosen, what was typed into them, and the steps back. */
export class SheetWork {
	/** Where the keyboard is, and the other corner of what is chosen. */
	at = $state.raw<Cell>({ row: 0, column: 0 });
	anchor = $state.raw<Cell>({ row: 0, column: 0 });
	#history = $state.raw<History>(NO_HISTORY);
	readonly #shown: () => Shown;

	constructor(shown: () => Shown) {
		this.#shown = shown;
	}

	readonly chosen = $derived.by(() => ({
		top: Math.min(this.at.row, this.anchor.row),
		bottom: Math.max(this.at.row, this.anchor.row),
		left: Math.min(this.at.column, this.anchor.column),
		right: Math.max(this.at.column, this.anchor.column)
	}));

	/** Goes to a cell; `extending` keeps the other corner of what is chosen. */
	go(row: number, column: number, extending = false): void {
		const { rows, columns } = this.#shown();
		this.at = { row: clamp(row, rows.length - 1), column: clamp(column, columns.length - 1) };
		if (!extending) this.anchor = this.at;
	}
	chooseAll(): void {
		this.go(0, 0);
		this.go(Infinity, Infinity, true);
	}

	textAt(row: SheetRow, column: number): string {
		const { columns, edits } = this.#shown();
		return edits.get(cellKey(row, columns[column]!)) ?? row.cells[column] ?? '';
	}

	/** What is wrong with what was typed into a cell; null when nothing is, or nothing was. */
	problemAt(row: SheetRow, column: number): string | null {
		const { columns, edits, wrong } = this.#shown();
		const { field, target } = columns[column]!;
		const text = edits.get(cellKey(row, columns[column]!));
		if (text === undefined) return null;
		if (text !== '' && text !== MASK) {
			const reading = readValue(field.type, text);
			if (!reading.ok) return reading.message;
		}
		const same = (one: SheetCellProblem) =>
			one.field === field.name &&
			(one.positionId === row.positionId || this.#isHeldWith(row, one.positionId, target));
		return wrong.find(same)?.message ?? null;
	}
	#isHeldWith(row: SheetRow, positionId: string, target: SheetTarget): boolean {
		const other =
			target === 'position' ? undefined : this.#shown().rows.find((one) => one.positionId === positionId);
		return other !== undefined && holderOf(other, target) === holderOf(row, target);
	}

	/** Sets cells as one step that can be undone. */
	set(cells: readonly (Cell & { readonly text: string })[]): void {
		const { columns, rows, mayWrite } = this.#shown();
		if (!mayWrite) return;
		const step: CellChange[] = [];
		for (const { row: index, column: number, text } of cells) {
			const row = rows[index];
			const column = columns[number];
			if (!row || !column) continue;
			const key = cellKey(row, column);
			const before = this.textAt(row, number);
			if (before === text) continue;
			const original = row.cells[number] ?? '';
			step.push({ row: key, column: original, before, after: text });
			this.#put(key, original, text);
		}
		this.#history = didStep(this.#history, step);
	}
	/** A cell that is as it was is no edit. */
	#put(key: string, original: string, text: string): void {
		const { edits } = this.#shown();
		if (text === original) edits.delete(key);
		else edits.set(key, text);
	}
	undo(): void {
		const undone = undoStep(this.#history);
		this.#history = undone.history;
		for (const { row, column, before } of [...undone.step].reverse()) this.#put(row, column, before);
	}
	redo(): void {
		const redone = redoStep(this.#history);
		this.#history = redone.history;
		for (const { row, column, after } of redone.step) this.#put(row, column, after);
	}

	#everyChosen<Result>(cell: (row: number, column: number) => Result): Result[] {
		const { top, bottom, left, right } = this.chosen;
		const found: Result[] = [];
		for (let row = top; row <= bottom; row++)
			for (let column = left; column <= right; column++) found.push(cell(row, column));
		return found;
	}
	#row = (index: number): SheetRow => this.#shown().rows[index]!;

	clear(): void {
		this.set(this.#everyChosen((row, column) => ({ row, column, text: '' })));
	}
	/** Copies the chosen top row down through the choice. */
	fillDown(): void {
		const { top } = this.chosen;
		const cells = this.#everyChosen((row, column) => ({
			row,
			column,
			text: this.textAt(this.#row(top), column)
		}));
		this.set(cells.filter(({ row }) => row > top));
	}
	/** Counts on through the choice: from its first two rows when they count, else from its first. */
	series(): void {
		const { top, bottom, left, right } = this.chosen;
		const cells = [];
		for (let column = left; column <= right; column++) {
			const one = this.textAt(this.#row(top), column);
			const other = bottom > top ? this.textAt(this.#row(top + 1), column) : '';
			const given = other !== '' && other !== one ? [one, other] : [one];
			const more = seriesAfter(given, bottom - top + 1 - given.length);
			for (const [index, text] of more.entries())
				cells.push({ row: top + given.length + index, column, text });
		}
		this.set(cells);
	}

	/** What is chosen, as spreadsheets copy it. */
	copied(): string {
		const { top, bottom, left, right } = this.chosen;
		const cells: string[][] = [];
		for (let row = top; row <= bottom; row++)
			cells.push(
				Array.from({ length: right - left + 1 }, (_, index) => this.textAt(this.#row(row), left + index))
			);
		return writePaste(cells);
	}
	/** Takes what a spreadsheet copied. One cell fills the whole choice. */
	paste(text: string): void {
		const cells = readPaste(text);
		const [only] = cells.length === 1 && cells[0]!.length === 1 ? cells[0]! : [];
		if (only !== undefined)
			return this.set(this.#everyChosen((row, column) => ({ row, column, text: only.trim() })));
		const { top, left } = this.chosen;
		this.set(
			cells.flatMap((line, row) =>
				line.map((cell, column) => ({ row: top + row, column: left + column, text: cell.trim() }))
			)
		);
	}
}
