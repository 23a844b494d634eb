import { newLimits, type Limits } from '../text/language';
import { evaluate, readsOf, scopeOf } from '../text/render';
import type { Field } from './fields';
import { readValue } from './reading';
import { explainValues, resolveValues, SCOPES, type Scope, type ScopedValues, type Value } from './values';

/** Where a field's value comes from: a scope, the field's own formula, or the value used otherwise. */
export type Source = Scope | 'formula' | 'otherwise';

export interface Resolved {
	readonly name: string;
	readonly value: Value;
	readonly source: Source;
	/** The wider scopes that give another value, widest first, as they were given. */
	readonly instead: readonly { readonly scope: Scope; readonly value: unknown }[];
}

export interface FieldProblem {
	readonly kind: 'missing' | 'invalid' | 'formula';
	readonly field: string;
	/** The scope at which it was given, or is expected. */
	readonly scope: Scope;
	readonly message: string;
}

export interface Resolution {
	/** By name; also what was given under names that no part declares. */
	readonly values: ReadonlyMap<string, Resolved>;
	/** What a text sees: the declared fields, and what was given under names that no part declares. */
	readonly scope: Readonly<Record<string, unknown>>;
	readonly problems: readonly FieldProblem[];
}

/**
 * The value of each field at one position. Laws: the narrowest scope that gives a value wins, then the
 * formula, then the value used otherwise; a value that is not of the field's type is a problem and never
 * a value; the result depends on the input alone.
 */
export function resolveFields(
	fields: readonly Field[],
	scoped: ScopedValues,
	known: Readonly<Record<string, unknown>>,
	limits: Limits = newLimits()
): Resolution {
	const values = new Map<string, Resolved>();
	const problems: FieldProblem[] = [];
	const scope = scopeOf(resolveValues(scoped), known);
	const formulas: Field[] = [];
	for (const field of fields) {
		const given = givenFor(field.name, scoped);
		const winner = given.at(-1);
		if (winner) {
			const read = readValue(field.type, winner.value);
			delete scope[field.name];
			if (read.ok) {
				const instead = given.slice(0, -1).filter((other) => !same(other.value, winner.value));
				values.set(field.name, { name: field.name, value: read.value, source: winner.scope, instead });
				scope[field.name] = read.value;
			} else
				problems.push({ kind: 'invalid', field: field.name, scope: winner.scope, message: read.message });
		} else if (field.formula !== undefined) formulas.push(field);
		else if (field.fallback !== undefined) {
			const read = readValue(field.type, field.fallback);
			if (!read.ok) continue;
			values.set(field.name, { name: field.name, value: read.value, source: 'otherwise', instead: [] });
			scope[field.name] = read.value;
		} else if (field.need !== 'required') {
			// A loop over a list that nobody gave is passed over
			if (field.type.kind === 'list' || field.type.kind === 'table') scope[field.name] = [];
		} else
			problems.push({
				kind: 'missing',
				field: field.name,
				scope: field.scope,
				message: `“${field.name}” has no value.`
			});
	}
	const declared = new Set(fields.map(({ name }) => name));
	for (const { name, value, scope: source, instead } of explainValues(scoped))
		if (!declared.has(name)) values.set(name, { name, value, source, instead });
	computeFormulas(formulas, scope, values, problems, haveCircles(fields), limits);
	return { values, scope, problems };
}

const givenFor = (name: string, scoped: ScopedValues) =>
	SCOPES.flatMap((scope) => {
		const values = scoped[scope];
		return values && Object.hasOwn(values, name) ? [{ scope, value: values[name] as unknown }] : [];
	});
const same = (a: unknown, b: unknown) => JSON.stringify(a) === JSON.stringify(b);

/** Computes formulas, each after those it reads. */
function computeFormulas(
	formulas: readonly Field[],
	scope: Record<string, unknown>,
	values: Map<string, Resolved>,
	problems: FieldProblem[],
	mayCircle: boolean,
	limits: Limits
): void {
	const byName = new Map(formulas.map((field) => [field.name, field]));
	const circular = mayCircle ? circlesAmong(formulas) : [];
	const circles = new Set(circular.flat());
	const doing = new Set<string>();
	const compute = (field: Field): void => {
		if (doing.has(field.name) || values.has(field.name)) return;
		doing.add(field.name);
		if (circles.has(field.name)) return;
		const reads = readsOf(field.formula!);
		if (Array.isArray(reads)) for (const name of reads) if (byName.has(name)) compute(byName.get(name)!);
		const computed = evaluate(field.formula!, scope, limits);
		const fault = (message: string) =>
			problems.push({ kind: 'formula', field: field.name, scope: field.scope, message });
		if (!computed.ok) {
			// What it reads and has no value is named by itself, or waits for what is
			const { kind, field: read } = computed.problem;
			if (kind === 'missing' && (byName.has(read!) || problems.some((one) => one.field === read))) return;
			fault(
				computed.problem.kind === 'missing'
					? `Its formula reads “${computed.problem.field}”, which has no value.`
					: `Its formula: ${computed.problem.message}`
			);
			return;
		}
		const read = readValue(field.type, computed.value ?? '');
		if (!read.ok) {
			fault(`Its formula gives a value that does not fit: ${read.message}`);
			return;
		}
		values.set(field.name, { name: field.name, value: read.value, source: 'formula', instead: [] });
		scope[field.name] = read.value;
	};
	for (const field of formulas) compute(field);
	for (const circle of circular)
		for (const name of new Set(circle))
			problems.push({
				kind: 'formula',
				field: name,
				scope: byName.get(name)!.scope,
				message: `Its formula refers to itself: ${circle.join(' → ')}.`
			});
}

/** Whether any of these fields' formulas refer to themselves; values that are given can only break circles. */
function haveCircles(fields: readonly Field[]): boolean {
	let have = circular.get(fields);
	if (have === undefined) circular.set(fields, (have = circlesAmong(fields).length > 0));
	return have;
}
const circular = new WeakMap<readonly Field[], boolean>();

/** The circles in which formulas refer to themselves, each named once: `a → b → a`. */
export function circlesAmong(fields: readonly Field[]): readonly (readonly string[])[] {
	const reads = new Map(
		fields.flatMap(({ name, formula }) => {
			const names = formula === undefined ? [] : readsOf(formula);
			return Array.isArray(names) ? [[name, names as readonly string[]] as const] : [];
		})
	);
	const circles: string[][] = [];
	const finished = new Set<string>();
	const visit = (name: string, path: readonly string[]): void => {
		const at = path.indexOf(name);
		if (at >= 0) {
			circles.push([...path.slice(at), name]);
			return;
		}
		if (finished.has(name)) return;
		for (const next of reads.get(name) ?? []) if (reads.has(next)) visit(next, [...path, name]);
		finished.add(name);
	};
	for (const name of reads.keys()) visit(name, []);
	return circles;
}
