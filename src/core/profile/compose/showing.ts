import type { Piece, RenderedLine, RenderResult } from './composition';
import { isSecretType } from '../values/field-types';
import type { Field } from '../values/fields';
import { leadsIn } from '../text/leads';
import type { Unshown } from '../text/mask';
import { isSecretName, MASK } from '../text/secret-words';
import { compile, isProblem, KNOWN_GROUPS } from '../text/language';
import { statementOf, type ConfigTree } from '../../config';
import { readsOf } from '../text/render';
import type { Resolved } from '../values/resolve';

/**
 * What people may see of a rendering: no secret, in whatever form a text wrote it. Told by where a line
 * comes from, since a filter such as `upcase` leaves nothing of the secret to look for.
 */
export interface Secrets extends Unshown {
	/** Fields whose values are secret: declared or named so, or computed from one that is. */
	readonly names: ReadonlySet<string>;
	/** Their values as they stand in texts, the longest first. */
	readonly values: readonly string[];
}

/** Whether a value must not be shown: its field says so, its formula reads one that must not, or its name says so. */
function secretFieldNames(fields: readonly Field[], given: Iterable<string>): ReadonlySet<string> {
	const declared = new Map(fields.map((field) => [field.name, field]));
	const secret = new Set(
		[...declared.keys(), ...given].filter((name) => {
			const field = declared.get(name);
			return field ? isSecretType(field.type) : isSecretName(name);
		})
	);
	for (let before = -1; before !== secret.size;) {
		before = secret.size;
		for (const { name, formula } of fields) {
			const reads = formula === undefined ? [] : readsOf(formula);
			if (Array.isArray(reads) && reads.some((one) => secret.has(one))) secret.add(name);
		}
	}
	return secret;
}

/** The secrets of one position, of what is given anywhere and of what was computed. */
export function secretsOf(
	fields: readonly Field[],
	given: readonly (readonly [name: string, value: unknown])[],
	values: ReadonlyMap<string, Resolved>
): Secrets {
	const names = secretFieldNames(
		fields,
		given.map(([name]) => name)
	);
	const all = [...given, ...[...values.values()].map(({ name, value }) => [name, value] as const)];
	const texts = new Set(all.flatMap(([name, value]) => (names.has(name) ? writtenForms(value) : [])));
	return { names, values: [...texts].sort((a, b) => b.length - a.length), leads: [] };
}

/** A secret with a quotation mark stands in a text as JSON writes it. */
const writtenForms = (value: unknown): string[] => {
	const text = String(value);
	return text === '' ? [] : [text, JSON.stringify(text).slice(1, -1)];
};

/** A text without the secrets that stand in it as they are. */
const withoutSecrets = (text: string, { values }: Pick<Secrets, 'values'>): string =>
	values.reduce((shown, secret) => shown.replaceAll(secret, MASK), text);

/** A value that is written as it is: `{{ name }}`, `{{ name | quoted }}` or `{{ name | xml }}`. */
const BARE = /\{\{-?\s*([a-z][a-z0-9_.]*)\s*(?:\|\s*(?:quoted|xml)\s*)?-?\}\}/g;
/** A name of the text's own, which can hold anything, also under the name of a field. */
const NAMED = /\{%-?\s*(?:assign|capture|increment|decrement|for|tablerow)\s+([a-z][a-z0-9_]*)/g;
const KNOWN = new RegExp(`^(${KNOWN_GROUPS.join('|')})\\.`);

/**
 * The lines of a rendering as people may see them. A line that depends on a secret is shown with the
 * secret masked where its source writes the value as it is; else only what stands before its first value
 * is. `hidden` is what was left out of such lines: it is as secret as what it was made of.
 */
export function shownLines(
	{ lines }: Pick<Extract<RenderResult, { ok: true }>, 'lines'>,
	pieces: readonly Piece[],
	secrets: Secrets
): { readonly shown: readonly string[]; readonly hidden: readonly string[] } {
	const sources = pieces.map(({ text }) => text.split('\n'));
	const declared = new Set(pieces.flatMap(({ fields }) => fields.map(({ name }) => name)));
	for (const { text } of pieces) for (const [, name] of text.matchAll(NAMED)) declared.delete(name!);
	const hidden: string[] = [];
	const shown = lines.map((line) => {
		const text = withoutSecrets(line.text, secrets);
		if (!line.fields.some((name) => secrets.names.has(name))) return text;
		const from = line.piece === null ? [] : line.sources.map((at) => sources[line.piece!]![at - 1] ?? '');
		if (from.length > 0 && from.every((source) => isWrittenAsItIs(source, line, declared, secrets)))
			return text;
		const start = beginning(line.text, from[0] ?? '');
		hidden.push(line.text.slice(start.length).trim());
		return start + MASK;
	});
	return { shown, hidden: hidden.filter((text) => text.length > 3) };
}

/** Shorter pieces stand in every text. */
const SHORTEST_MADE = 4;
/**
 * The secrets of a position with all that its rendering makes of them, and with what leads to each of them there: in a text
 * of another day, or of a unit at which somebody typed, another one stands behind it.
 */
export function secretsIn(
	result: Extract<RenderResult, { ok: true }>,
	pieces: readonly Piece[],
	secrets: Secrets
): Secrets {
	const { shown, hidden } = shownLines(result, pieces, secrets);
	// Where the secret itself stands in it, what is made of it beside counts, and not the marks around it
	const made = hidden.flatMap((text) =>
		withoutSecrets(text, secrets)
			.split(MASK)
			.map((piece) => piece.replace(/^[^A-Za-z0-9]+|[^A-Za-z0-9]+$/g, ''))
			.filter((piece) => piece.length >= SHORTEST_MADE)
	);
	const values = [...made, ...secrets.values];
	const isSecret = result.lines.map(({ fields }) => fields.some((name) => secrets.names.has(name)));
	const statements = statementsAt(result.tree, (line) => isSecret[line - 1] === true);
	const masked = [
		...shown.filter((_, at) => isSecret[at]),
		...statements.map((one) => withoutSecrets(one, { values }))
	];
	return { ...secrets, values, leads: [...new Set(masked)].flatMap(leadsIn) };
}

const statementsAt = (tree: ConfigTree, isWanted: (line: number) => boolean): readonly string[] =>
	tree.flatMap((node) => [
		...(isWanted(node.line) ? [statementOf(node)] : []),
		...statementsAt(node.children, isWanted)
	]);

/** Whether a source line holds bare values only, and each secret among them stands in the line as it is. */
function isWrittenAsItIs(
	source: string,
	{ text }: RenderedLine,
	declared: ReadonlySet<string>,
	{ names, values }: Secrets
): boolean {
	let plain = true;
	const rest = source.replace(BARE, (_, name: string) => {
		if (!declared.has(name) && !KNOWN.test(name)) plain = false;
		if (names.has(name) && !values.some((secret) => text.includes(secret))) plain = false;
		return '';
	});
	return plain && !/\{[{%]/.test(rest);
}

/** What a line begins with before anything was put into it. */
function beginning(text: string, source: string): string {
	const indent = /^\s*/.exec(text)![0];
	const words = source.trimStart().split(/\{[{%]/, 1)[0]!;
	return text.trimStart().startsWith(words) ? indent + words : indent;
}

/** Whether a text makes something else of a secret than what it is. */
export function reworks(text: string, secret: ReadonlySet<string>): boolean {
	const compiled = compile(text);
	if (isProblem(compiled) || ![...compiled.reads.keys()].some((name) => secret.has(name))) return false;
	return /\{[{%]/.test(text.replace(BARE, ''));
}
