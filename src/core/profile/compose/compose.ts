import {
	NO_RULES,
	parseConfig,
	printConfig,
	type ConfigTree,
	type Dialect,
	type DialectRules
} from '../../config';
import type { Field } from '../values/fields';
import { isOverTime } from '../text/problems';
import { compile, isProblem, KNOWN_GROUPS, newLimits } from '../text/language';
import type { OriginLine } from '../text/origin';
import { withOwn, type OwnStatement } from '../text/own-text';
import { renderText, scopeOf } from '../text/render';
import { resolveFields, type FieldProblem, type Resolution } from '../values/resolve';
import type { Scope } from '../values/values';
import { mergeJson, textOf } from './merge';
import {
	dialectProblem,
	NOWHERE,
	type Composed,
	type Composition,
	type Piece,
	type RenderProblem,
	type RenderResult,
	type RenderedLine
} from './composition';

/**
 * Renders a profile for one position. All that is missing or invalid is named at once. The pieces follow
 * each other in their order; in the JSON dialect each is an object, and they are merged key by key.
 * Laws: the result depends on the input alone; each line names the piece and the lines of its text it was
 * made of, and without those it is not there.
 */
export function renderWhole(composition: Composition): RenderResult {
	const result = renderOnce(composition);
	// The clock goes on while a busy machine works on something else: too slow is what was too slow twice
	return !result.ok && result.problems.some(isOverTime) ? renderOnce(composition) : result;
}

function renderOnce({ dialect, rules, pieces, scoped, known, own = [] }: Composition): RenderResult {
	const { fields, conflicts } = fieldsOfPieces(pieces);
	const limits = newLimits();
	const resolution = resolveFields(fields, scoped, known, limits);
	const problems: RenderProblem[] = [...conflicts, ...fieldProblems(resolution)];
	const told = new Set(resolution.problems.map(({ field }) => field));
	// Computed of what is missing: that is told
	for (const { name, formula } of fields)
		if (formula !== undefined && !resolution.values.has(name)) told.add(name);
	let scope = told.size === 0 ? resolution.scope : scopeOf(placeholders(told), resolution.scope);
	const parts: (readonly OriginLine[])[] = [];
	for (const { name, text } of pieces) {
		const rendered = renderText(text, scope, limits);
		if (rendered.ok) parts.push(rendered.lines);
		else
			for (const { kind, message, line, column, field } of rendered.problems)
				if (kind !== 'missing' || !told.has(field!)) {
					problems.push({
						...NOWHERE,
						kind,
						message,
						piece: name,
						line,
						column,
						field,
						scope: scopeGiving(field, fields)
					});
					if (field !== null) told.add(field);
				}
		if (!rendered.ok) scope = scopeOf(placeholders(told), resolution.scope);
	}
	const { values } = resolution;
	if (problems.length > 0) return { ok: false, problems, values };
	const joined = dialect === 'json' ? mergeJson(pieces, parts) : joinLines(pieces, parts, dialect, rules);
	const composed = 'problem' in joined || own.length === 0 ? joined : ownAdded(joined, own, dialect, rules);
	return 'problem' in composed
		? { ok: false, problems: [composed.problem], values }
		: { ok: true, ...composed, text: composed.text, values, scope };
}

/** What has a problem already stands in as text, so that the rest is still looked at. */
const placeholders = (told: ReadonlySet<string>) =>
	Object.fromEntries([...told].map((field) => [field, 'missing']));

const scopeGiving = (field: string | null, fields: readonly Field[]): Scope | null =>
	fields.find(({ name }) => name === field)?.scope ?? null;

const fieldProblems = ({ problems }: Resolution): RenderProblem[] =>
	problems.map(({ kind, field, scope, message }: FieldProblem) => ({
		...NOWHERE,
		kind,
		field,
		scope,
		message
	}));

interface SharedFields {
	readonly fields: readonly Field[];
	readonly conflicts: readonly RenderProblem[];
}
const shared = new WeakMap<readonly Pick<Piece, 'name' | 'fields'>[], SharedFields>();

/** The fields that pieces share, each once; a conflict where two mean different things by one name. */
export function fieldsOfPieces(pieces: readonly Pick<Piece, 'name' | 'fields'>[]): SharedFields {
	let found = shared.get(pieces);
	if (found === undefined) shared.set(pieces, (found = shareFields(pieces)));
	return found;
}

function shareFields(pieces: readonly Pick<Piece, 'name' | 'fields'>[]): SharedFields {
	const known = new Map<string, { field: Field; piece: string }>();
	const conflicts: RenderProblem[] = [];
	for (const piece of pieces)
		for (const field of piece.fields) {
			const other = known.get(field.name);
			if (!other) known.set(field.name, { field, piece: piece.name });
			else if (JSON.stringify(other.field.type) !== JSON.stringify(field.type))
				conflicts.push({
					...NOWHERE,
					kind: 'conflict',
					piece: piece.name,
					field: field.name,
					message: `“${field.name}” is a ${other.field.type.kind} in ${other.piece} and a ${field.type.kind} in ${piece.name}.`
				});
			// Of two the stricter need holds
			else if (field.need === 'required' && other.field.need !== 'required')
				known.set(field.name, { field: { ...other.field, need: 'required' }, piece: other.piece });
		}
	return { fields: [...known.values()].map(({ field }) => field), conflicts };
}

function joinLines(
	pieces: readonly Piece[],
	parts: readonly (readonly OriginLine[])[],
	dialect: Dialect,
	rules: DialectRules | undefined
): Composed {
	const lines = parts.flatMap((part, piece) =>
		part.map(({ text, sources, fields }): RenderedLine => ({ text, piece, sources, fields }))
	);
	const text = textOf(lines);
	const reading = parseConfig(text, dialect, rules);
	if (reading.ok) return { lines, text, tree: reading.tree };
	const { line, message } = reading.problems[0]!;
	return { problem: dialectProblem(message, lines[line - 1], pieces, line) };
}

/**
 * With the position's own statements. It is printed anew for that, without its parts' comments; each line keeps where it
 * came from, since reading what was printed gives the same tree.
 */
function ownAdded(
	{ lines, tree }: Extract<Composed, { lines: unknown }>,
	own: readonly OwnStatement[],
	dialect: Dialect,
	rules: DialectRules = NO_RULES
): Composed {
	const applied = withOwn(tree, own, rules.keys);
	if (!applied.ok) return { problem: { ...NOWHERE, kind: 'conflict', message: applied.message } };
	const text = printConfig(applied.tree, dialect);
	const reading = parseConfig(text, dialect, rules);
	if (!reading.ok)
		return {
			problem: dialectProblem(reading.problems[0]!.message, undefined, [], reading.problems[0]!.line)
		};
	const origins = new Map<number, number>();
	const walk = (printed: ConfigTree, from: ConfigTree): void =>
		printed.forEach((node, index) => {
			const source = from[index];
			// Where several share a line, it is the innermost one's
			walk(node.children, source?.children ?? []);
			if (source && !origins.has(node.line)) origins.set(node.line, source.line);
		});
	walk(reading.tree, applied.tree);
	return {
		text,
		tree: reading.tree,
		lines: text
			.replace(/\n$/, '')
			.split('\n')
			.map((line, index): RenderedLine => {
				const from = origins.get(index + 1);
				const origin = from === undefined ? undefined : lines[from - 1];
				if (origin) return { ...origin, text: line };
				return { text: line, piece: null, sources: [], fields: [], ...(from === 0 && { isOwn: true }) };
			})
	};
}

/** What is wrong with a piece before any value is known: broken tags, and names that nothing declares. */
export function checkPiece({ name, text, fields }: Omit<Piece, 'id'>): readonly RenderProblem[] {
	const compiled = compile(text);
	if (isProblem(compiled)) return [{ ...NOWHERE, ...compiled, piece: name }];
	const declared = new Set(fields.map((field) => field.name));
	return [...compiled.reads].flatMap(([field, { line, column }]): RenderProblem[] =>
		declared.has(field) || isKnown(field)
			? []
			: [
					{
						...NOWHERE,
						kind: 'broken',
						piece: name,
						line,
						column,
						field,
						message: `“${field}” is declared nowhere.`
					}
				]
	);
}
const isKnown = (name: string) =>
	name.includes('.') && (KNOWN_GROUPS as readonly string[]).includes(name.split('.')[0]!);

/** The port roles that a text speaks of: what a part needs of a model. */
export function portsNeeded(text: string): readonly string[] {
	const compiled = compile(text);
	return isProblem(compiled)
		? []
		: [...compiled.reads.keys()].flatMap((name) => (name.startsWith('port.') ? [name.slice(5)] : [])).sort();
}
