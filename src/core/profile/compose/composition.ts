import { type ConfigTree, type Dialect, type DialectRules } from '../../config';
import type { Field } from '../values/fields';
import { type OwnStatement } from '../text/own-text';
import { type Scope as TextScope } from '../text/render';
import { type Resolved } from '../values/resolve';
import type { ScopedValues, Scope } from '../values/values';

/** A part at one revision, or the profile's own text, in the dialect of the model. */
export interface Piece {
	/** Tells pieces of one profile apart. */
	readonly id: string;
	readonly name: string;
	readonly text: string;
	readonly fields: readonly Field[];
}

/** What Limen itself knows, by group and name; a list's rows have names of their own: `position.tunnels`. */
export type Known = Readonly<Record<string, Readonly<Record<string, string | number | readonly object[]>>>>;

export interface Composition {
	readonly dialect: Dialect;
	/** What is the maker's own in it. */
	readonly rules?: DialectRules;
	readonly pieces: readonly Piece[];
	readonly scoped: ScopedValues;
	/** What Limen itself knows, under names that no field can shadow: `site.name`, `port.uplink`. */
	readonly known: Known;
	/** The position's own statements, beside its profile's. */
	readonly own?: readonly OwnStatement[];
}

/** A line of a rendering: its text, and the piece, the lines in it and the fields that made it. */
export interface RenderedLine {
	readonly text: string;
	/** Index of the piece; null for what composing adds (the braces around JSON). */
	readonly piece: number | null;
	readonly sources: readonly number[];
	readonly fields: readonly string[];
	/** It is the position's own. */
	readonly isOwn?: true;
}

export interface RenderProblem {
	readonly kind: 'missing' | 'invalid' | 'formula' | 'broken' | 'limit' | 'conflict' | 'dialect' | 'rejected';
	readonly message: string;
	/** The piece it is in, and the 1-based place in its text; null when it has none. */
	readonly piece: string | null;
	readonly line: number | null;
	readonly column: number | null;
	readonly field: string | null;
	/** Where the value was given or is expected. */
	readonly scope: Scope | null;
	/** 1-based line of the rendering, when there is one. */
	readonly at: number | null;
}

export type RenderResult =
	| {
			readonly ok: true;
			readonly text: string;
			readonly lines: readonly RenderedLine[];
			readonly tree: ConfigTree;
			readonly values: ReadonlyMap<string, Resolved>;
			/** What the texts saw: for what goes with the configuration and sees the same. */
			readonly scope: TextScope;
	  }
	| {
			readonly ok: false;
			readonly problems: readonly RenderProblem[];
			readonly values: ReadonlyMap<string, Resolved>;
	  };

export const NOWHERE = { piece: null, line: null, column: null, field: null, scope: null, at: null } as const;

export type Composed =
	| { readonly lines: readonly RenderedLine[]; readonly text: string; readonly tree: ConfigTree }
	| { readonly problem: RenderProblem };

export const dialectProblem = (
	message: string,
	line: RenderedLine | undefined,
	pieces: readonly Piece[],
	at: number | null
): RenderProblem => ({
	...NOWHERE,
	kind: 'dialect',
	message,
	piece: line?.piece == null ? null : pieces[line.piece]!.name,
	line: line?.sources[0] ?? null,
	at
});
