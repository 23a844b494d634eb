import { Context, toValueSync } from 'liquidjs';
import { PLACEHOLDER } from './filters';
import { compile, isProblem, liquid, type Compiled } from './language';
import { OriginEmitter, type OriginLine } from './origin';
import { missingName, problemOf, type TextProblem } from './problems';

export type Rendered =
	| { readonly ok: true; readonly lines: readonly OriginLine[] }
	| { readonly ok: false; readonly problems: readonly TextProblem[] };

export type Scope = Readonly<Record<string, unknown>>;

/**
 * Renders a text. Names all missing values at once. Laws: the result depends on the text and the scope
 * alone; the lines joined are what LiquidJS gives for the text without its tag lines.
 */
export function renderText(text: string, scope: Scope): Rendered {
	const compiled = compile(text);
	if (isProblem(compiled)) return { ok: false, problems: [compiled] };
	const own = Object.assign(Object.create(null), scope) as Record<string, unknown>;
	try {
		return { ok: true, lines: run(compiled, own) };
	} catch (error) {
		return {
			ok: false,
			problems: missingName(error) ? collectProblems(compiled, own, error) : [problemOf(error)]
		};
	}
}

function run({ templates }: Compiled, scope: Record<string, unknown>): readonly OriginLine[] {
	const emitter = new OriginEmitter();
	const context = new Context(scope, liquid.options, { sync: true }, { liquid });
	toValueSync(liquid.renderer.renderTemplates(templates, context, emitter));
	return emitter.end();
}

/** The value of one expression, such as a field's formula: `lan | host: 1`. */
export function evaluate(
	expression: string,
	scope: Scope
): { readonly ok: true; readonly value: unknown } | { readonly ok: false; readonly problem: TextProblem } {
	try {
		const own = Object.assign(Object.create(null), scope) as Record<string, unknown>;
		return {
			ok: true,
			value: liquid.evalValueSync(expression, new Context(own, liquid.options, { sync: true }, { liquid }))
		};
	} catch (error) {
		return { ok: false, problem: problemOf(error) };
	}
}

/** The names that an expression reads; a problem when it is none. */
export function readsOf(expression: string): readonly string[] | TextProblem {
	// One expression: what could end the tag or begin another is none
	if (/[{}%\n]/.test(expression))
		return {
			kind: 'broken',
			message: 'A formula is one expression, without tags.',
			line: 1,
			column: 1,
			field: null
		};
	const compiled = compile(`{{ ${expression} }}`);
	return isProblem(compiled) ? compiled : [...compiled.reads.keys()];
}

const MOST_MISSING = 200;

/** Gives each missing name a placeholder and renders on, until nothing new is missing. */
function collectProblems(compiled: Compiled, scope: Record<string, unknown>, first: unknown): TextProblem[] {
	const problems: TextProblem[] = [];
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
			run(compiled, scope);
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
