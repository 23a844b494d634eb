import { Context, toValueSync, Value, type Template } from 'liquidjs';
import { PLACEHOLDER } from './filters';
import { compile, isProblem, liquid, newLimits, type Compiled, type Limits } from './language';
import { OriginEmitter, type OriginLine } from './origin';
import { missingName, problemOf, type TextProblem } from './problems';

export type Rendered =
	| { readonly ok: true; readonly lines: readonly OriginLine[] }
	| { readonly ok: false; readonly problems: readonly TextProblem[] };

/** What a text sees. Own properties only count; `scopeOf` makes one that need not be copied again. */
export type Scope = Readonly<Record<string, unknown>>;

const isBare = (scope: Scope): boolean => Object.getPrototypeOf(scope) === null;
/** A scope without a prototype, as rendering needs it. Nothing that renders writes to it. */
export const scopeOf = (...groups: readonly Scope[]): Record<string, unknown> =>
	Object.assign(Object.create(null) as Record<string, unknown>, ...groups);
const bare = (scope: Scope): Scope => (isBare(scope) ? scope : scopeOf(scope));

/**
 * Renders a text. Names all missing values at once. Whoever renders several texts that belong together
 * gives them the same limits. Laws: the result depends on the text and the scope alone (but for the limit
 * on time); the lines joined are what LiquidJS gives for the text without its tag lines.
 */
export function renderText(text: string, scope: Scope, limits: Limits = newLimits()): Rendered {
	const compiled = compile(text);
	if (isProblem(compiled)) return { ok: false, problems: [compiled] };
	const own = bare(scope);
	try {
		return { ok: true, lines: run(compiled, own, limits) };
	} catch (error) {
		return {
			ok: false,
			problems: missingName(error) ? collectProblems(compiled, scopeOf(own), limits) : [problemOf(error)]
		};
	}
}

const contextOf = (scope: Scope, limits: Limits) =>
	new Context(scope as object, liquid.options, { sync: true }, { liquid, ...limits });

function run({ templates }: Compiled, scope: Scope, limits: Limits): readonly OriginLine[] {
	const emitter = new OriginEmitter();
	const context = contextOf(scope, limits);
	withoutTraces(() => toValueSync(liquid.renderer.renderTemplates(templates, context, emitter)));
	return emitter.end();
}

/** An “if” about a field without a value ends in an exception inside LiquidJS: its trace would cost more than the rest. */
function withoutTraces<Result>(work: () => Result): Result {
	const limit = Error.stackTraceLimit;
	Error.stackTraceLimit = 0;
	try {
		return work();
	} finally {
		Error.stackTraceLimit = limit;
	}
}

/** A formula read once: its value is computed for each position, its text never changes. */
interface Formula {
	readonly reads: readonly string[] | TextProblem;
	readonly value: Value | TextProblem;
}
const MOST_FORMULAS = 1_000;
const formulas = new Map<string, Formula>();

function formulaOf(expression: string): Formula {
	let formula = formulas.get(expression);
	if (formula === undefined) {
		if (formulas.size >= MOST_FORMULAS) formulas.delete(formulas.keys().next().value!);
		formulas.set(expression, (formula = readFormula(expression)));
	}
	return formula;
}

function readFormula(expression: string): Formula {
	// One expression: what could end the tag or begin another is none
	const compiled = /[{}%\n]/.test(expression)
		? {
				kind: 'broken' as const,
				message: 'A formula is one expression, without tags.',
				line: 1,
				column: 1,
				field: null
			}
		: compile(`{{ ${expression} }}`);
	if (isProblem(compiled)) return { reads: compiled, value: compiled };
	return { reads: [...compiled.reads.keys()], value: new Value(expression, liquid) };
}

/** The value of one expression, such as a field's formula: `lan | host: 1`. */
export function evaluate(
	expression: string,
	scope: Scope,
	limits: Limits = newLimits()
): { readonly ok: true; readonly value: unknown } | { readonly ok: false; readonly problem: TextProblem } {
	const { value } = formulaOf(expression);
	if (!(value instanceof Value)) return { ok: false, problem: value };
	try {
		return { ok: true, value: toValueSync(value.value(contextOf(bare(scope), limits))) };
	} catch (error) {
		return { ok: false, problem: problemOf(error) };
	}
}

/** The names that an expression reads; a problem when it is none. */
export const readsOf = (expression: string): readonly string[] | TextProblem => formulaOf(expression).reads;

const MOST_MISSING = 200;

/**
 * Gives each missing name a placeholder and goes on where it was missing: at the tag of the text's outermost
 * level that could not be rendered. What the limits leave no room for is not told.
 */
function collectProblems(
	{ templates }: Compiled,
	scope: Record<string, unknown>,
	limits: Limits
): TextProblem[] {
	const problems: TextProblem[] = [];
	const seen = new Set<string>();
	const context = contextOf(scope, limits);
	const attempt = (template: Template): unknown => {
		try {
			toValueSync(liquid.renderer.renderTemplates([template], context, new OriginEmitter()));
			return null;
		} catch (error) {
			return error;
		}
	};
	for (const template of templates)
		for (;;) {
			const error = withoutTraces(() => attempt(template));
			if (error === null) break;
			const problem = problemOf(error);
			// Out of time or memory: what was found by then is worth more than that
			if (problem.kind === 'limit' && problems.length > 0) return problems;
			const name = missingName(error);
			// `x.y` after `x` says nothing new
			if (!name?.includes('.') || !seen.has(name.split('.')[0]!)) problems.push(problem);
			if (name === null || seen.has(name) || seen.size >= MOST_MISSING) return problems;
			seen.add(name);
			if (!givePlaceholder(scope, name.split('.'))) return problems;
		}
	return problems;
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
