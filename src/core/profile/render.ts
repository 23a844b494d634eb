import { Liquid, LiquidError, type Template } from 'liquidjs';
import { resolveValues, type ScopedValues } from './values';

/**
 * Rendering of configuration texts. The language is Liquid with strict variables and filters, own
 * properties only, no files, and limits on time, memory and output.
 */
export interface RenderInput {
	readonly text: string;
	readonly scoped: ScopedValues;
	/** What Limen itself knows, under names that no field can shadow: `site.name`, `port.uplink`, `limen.public_key`. */
	readonly known: Readonly<Record<string, Readonly<Record<string, string | number>>>>;
}

export interface RenderProblem {
	readonly kind: 'missing' | 'broken' | 'limit';
	readonly message: string;
	/** 1-based place in the text; null when it has none. */
	readonly line: number | null;
	readonly column: number | null;
	/** The field that has no value, for `missing`. */
	readonly field: string | null;
}

export type RenderResult =
	| { readonly ok: true; readonly text: string }
	| { readonly ok: false; readonly problems: readonly RenderProblem[] };

export const LARGEST_PROFILE_TEXT = 256 * 1024;
export const LARGEST_OUTPUT = 512 * 1024;
const LONGEST_RENDERING_MS = 500;
/** What loops and filters may allocate, in LiquidJS's own units (about characters). */
const MOST_MEMORY = 4_000_000;
const MOST_MISSING = 200;
const MOST_CACHED = 256;
/** Stands for a missing value while the remaining ones are looked for; never part of a result. */
const PLACEHOLDER = 'missing';

const liquid = new Liquid({
	strictVariables: true,
	strictFilters: true,
	ownPropertyOnly: true,
	parseLimit: LARGEST_PROFILE_TEXT,
	renderLimit: LONGEST_RENDERING_MS,
	memoryLimit: MOST_MEMORY,
	// An empty table of templates in place of the file system
	templates: {}
});
const parsed = new Map<string, Template[] | LiquidError>();

/**
 * Renders one text for one position. Names all missing values at once.
 * Rejects broken tags (with line and column), unknown filters, and what passes the limits.
 * Law: the result depends on the input alone.
 */
export function render({ text, scoped, known }: RenderInput): RenderResult {
	const template = parse(text);
	if (!Array.isArray(template)) return { ok: false, problems: [problemOf(template)] };
	const scope: Record<string, unknown> = Object.assign(resolveValues(scoped), known);
	try {
		return withinLimit(liquid.renderSync(template, scope));
	} catch (error) {
		if (!missingName(error)) return { ok: false, problems: [problemOf(error)] };
		return { ok: false, problems: collectProblems(template, scope, error) };
	}
}

/** Problems of the text itself, before any value is known. Empty when it can be rendered. */
export function checkText(text: string): readonly RenderProblem[] {
	const template = parse(text);
	return Array.isArray(template) ? [] : [problemOf(template)];
}

function parse(text: string): Template[] | LiquidError {
	let template = parsed.get(text);
	if (template === undefined) {
		try {
			template = liquid.parse(text);
		} catch (error) {
			if (!LiquidError.is(error)) throw error;
			template = error;
		}
		if (parsed.size >= MOST_CACHED) parsed.delete(parsed.keys().next().value!);
		parsed.set(text, template);
	}
	return template;
}

function withinLimit(text: string): RenderResult {
	if (text.length <= LARGEST_OUTPUT) return { ok: true, text };
	const message = `The rendering has ${text.length.toLocaleString('en')} characters; ${LARGEST_OUTPUT.toLocaleString('en')} is the most.`;
	return { ok: false, problems: [{ kind: 'limit', message, line: null, column: null, field: null }] };
}

/** Gives each missing name a placeholder and renders on, until nothing new is missing. */
function collectProblems(
	template: Template[],
	scope: Record<string, unknown>,
	first: unknown
): RenderProblem[] {
	const problems: RenderProblem[] = [];
	const seen = new Set<string>();
	let error = first;
	for (;;) {
		const name = missingName(error);
		// `x.y` after `x` says nothing new
		if (!name?.includes('.') || !seen.has(name.split('.')[0]!)) problems.push(problemOf(error));
		if (name === null || seen.has(name) || seen.size >= MOST_MISSING) return problems;
		seen.add(name);
		if (!givePlaceholder(scope, name.split('.'))) return problems;
		try {
			liquid.renderSync(template, scope);
			return problems;
		} catch (next) {
			error = next;
		}
	}
}

function givePlaceholder(scope: Record<string, unknown>, path: readonly string[]): boolean {
	let holder = scope;
	for (const name of path.slice(0, -1)) {
		const next = holder[name];
		if (next !== undefined && (typeof next !== 'object' || next === null)) return false;
		// A copy: what was passed in is not ours to change
		holder = holder[name] = Object.assign(Object.create(null), next) as Record<string, unknown>;
	}
	holder[path.at(-1)!] = PLACEHOLDER;
	return true;
}

function missingName(error: unknown): string | null {
	if (!LiquidError.is(error) || error.name !== 'UndefinedVariableError') return null;
	return (error.originalError as { variableName?: string } | undefined)?.variableName ?? null;
}

function problemOf(error: unknown): RenderProblem {
	if (!LiquidError.is(error)) throw error;
	const [line = null, column = null] = error.token?.getPosition() ?? [];
	const field = missingName(error);
	if (field !== null) return { kind: 'missing', message: `“${field}” has no value.`, line, column, field };
	// The position is told apart from the words
	const message = error.message
		.replace(/, line:\d+, col:\d+$/, '')
		.replace(/^ENOENT: .*/, 'Other files cannot be drawn in here.');
	return { kind: /limit exceeded/.test(message) ? 'limit' : 'broken', message, line, column, field: null };
}
