import { diffArrays } from 'diff';
import type { Piece, RenderResult } from './composition';
import { shownLines, type Secrets } from './showing';

/** Lines that one rendering has and another has not, at one place. */
export interface Hunk {
	/** 1-based line of the old rendering before which it stands. */
	readonly at: number;
	readonly removed: readonly string[];
	readonly added: readonly string[];
}

/** What a release changes at one position. */
export type Change =
	| { readonly kind: 'same' }
	| {
			readonly kind: 'changed';
			readonly hunks: readonly Hunk[];
			readonly lines: number;
			readonly key: string;
	  }
	/** It cannot be rendered any more, or could not before. */
	| { readonly kind: 'broken'; readonly message: string; readonly key: string }
	| { readonly kind: 'mended'; readonly key: string };

/** Past so many lines that differ, looking for what they share costs the square of it and shows nothing. */
const MOST_EDITS = 4_000;

/** The lines by which two texts differ. Law: applying the hunks to the first gives the second. */
export function hunksBetween(before: readonly string[], after: readonly string[]): readonly Hunk[] {
	let start = 0;
	while (start < before.length && start < after.length && before[start] === after[start]) start++;
	let end = 0;
	while (
		end < before.length - start &&
		end < after.length - start &&
		before[before.length - 1 - end] === after[after.length - 1 - end]
	)
		end++;
	const hunks: Hunk[] = [];
	let at = start + 1;
	let open: { at: number; removed: string[]; added: string[] } | null = null;
	const middle = (lines: readonly string[]) => lines.slice(start, lines.length - end);
	const [old, now] = [middle(before), middle(after)];
	const changes = diffArrays(old, now, { maxEditLength: MOST_EDITS }) ?? [
		{ value: old, added: false, removed: true },
		{ value: now, added: true, removed: false }
	];
	for (const { value, added, removed } of changes) {
		if (!added && !removed) {
			open = null;
			at += value.length;
			continue;
		}
		if (!open) {
			open = { at, removed: [], added: [] };
			hunks.push(open);
		}
		if (removed) {
			open.removed = open.removed.concat(value);
			at += value.length;
		} else open.added = open.added.concat(value);
	}
	return hunks;
}

/**
 * Compares two renderings of one position. Positions with the same `key` have the same change: the same
 * lines, or lines that differ only in values given at the site or the position and come from the same
 * lines of the same pieces. Secrets are masked in what is shown and told apart by nothing.
 */
export function changeBetween(
	before: RenderResult,
	after: RenderResult,
	pieces: { readonly before: readonly Piece[]; readonly after: readonly Piece[] },
	secrets: Secrets
): Change {
	if (!after.ok) {
		const message = after.problems[0]!.message;
		return before.ok || message !== before.problems[0]!.message
			? { kind: 'broken', message, key: `broken ${message}` }
			: { kind: 'same' };
	}
	if (!before.ok) return { kind: 'mended', key: 'mended' };
	if (before.text === after.text) return { kind: 'same' };
	const [old, now] = [shownLines(before, pieces.before, secrets), shownLines(after, pieces.after, secrets)];
	let shift = 0;
	const hunks = hunksBetween(
		before.lines.map(({ text }) => text),
		after.lines.map(({ text }) => text)
	).map(({ at, removed, added }) => {
		const [from, to] = [at - 1, at - 1 + shift];
		shift += added.length - removed.length;
		return {
			at,
			removed: old.shown.slice(from, from + removed.length),
			added: now.shown.slice(to, to + added.length)
		};
	});
	let moved = 0;
	const shapes = hunks.map(({ at, removed, added }) => {
		const shape = [
			removed.map((text, index) => shapeOf(before, at - 1 + index, text, pieces.before)),
			added.map((text, index) => shapeOf(after, at - 1 + moved + index, text, pieces.after))
		];
		moved += added.length - removed.length;
		return shape;
	});
	const lines = hunks.reduce((sum, { removed, added }) => sum + Math.max(removed.length, added.length), 0);
	return { kind: 'changed', hunks, lines, key: JSON.stringify(shapes) };
}

const split = new WeakMap<Piece, readonly string[]>();
function linesOf(piece: Piece): readonly string[] {
	let lines = split.get(piece);
	if (!lines) split.set(piece, (lines = piece.text.split('\n')));
	return lines;
}

/** A line without what is particular to the position: the source lines it came from, where it reads such values. */
function shapeOf(
	rendering: Extract<RenderResult, { ok: true }>,
	index: number,
	text: string,
	pieces: readonly Piece[]
): string {
	const line = rendering.lines[index];
	if (!line || line.piece === null) return text;
	const particular = line.fields.some((field) => {
		const source = rendering.values.get(field)?.source;
		return (
			field.startsWith('site.') ||
			field.startsWith('position.') ||
			source === 'site' ||
			source === 'position' ||
			source === 'formula'
		);
	});
	if (!particular) return text;
	const piece = pieces[line.piece]!;
	const source = linesOf(piece);
	return `${piece.name}: ${line.sources.map((number) => source[number - 1]).join('\n')}`;
}

/** One change and the positions that have it. */
export interface ChangeGroup<Position> {
	readonly change: Change;
	readonly positions: readonly Position[];
}

/** Changes by what they are, the most frequent first; those that break something before all others. */
export function groupChanges<Position>(
	changes: Iterable<readonly [Position, Change]>
): readonly ChangeGroup<Position>[] {
	const groups = new Map<string, { change: Change; positions: Position[] }>();
	for (const [position, change] of changes) {
		const key = change.kind === 'same' ? 'same' : `${change.kind} ${change.key}`;
		const group = groups.get(key);
		if (group) group.positions.push(position);
		else groups.set(key, { change, positions: [position] });
	}
	const rank = ({ change }: { change: Change }) =>
		['broken', 'changed', 'mended', 'same'].indexOf(change.kind);
	return [...groups.values()].sort((a, b) => rank(a) - rank(b) || b.positions.length - a.positions.length);
}
