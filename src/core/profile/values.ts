import * as v from 'valibot';

/** Where a field's value can be given, widest first. The narrowest given wins. */
export const SCOPES = ['profile', 'customer', 'site', 'position'] as const;
export type Scope = (typeof SCOPES)[number];

const LARGEST_VALUE = 4000;
const MOST_VALUES = 500;

export const fieldNameSchema = v.pipe(
	v.string(),
	v.regex(
		/^[a-z][a-z0-9_]{0,62}$/,
		'A field name has lower-case letters, digits and “_”, and begins with a letter.'
	)
);
const valueSchema = v.union([
	v.pipe(v.string(), v.maxLength(LARGEST_VALUE)),
	v.pipe(v.number(), v.finite()),
	v.boolean()
]);
export const valuesSchema = v.pipe(
	v.record(fieldNameSchema, valueSchema),
	v.check(
		(values) => Object.keys(values).length <= MOST_VALUES,
		`At most ${MOST_VALUES} values at one scope.`
	)
);
export type Values = Readonly<Record<string, string | number | boolean>>;

export type ScopedValues = Readonly<Partial<Record<Scope, Values>>>;

export interface ResolvedValue {
	readonly name: string;
	readonly value: string | number | boolean;
	readonly scope: Scope;
	/** The wider scopes that give another value, widest first. */
	readonly instead: readonly { readonly scope: Scope; readonly value: string | number | boolean }[];
}

/** The value each field has: the narrowest scope's. An own, prototype-less object. */
export function resolveValues(scoped: ScopedValues): Record<string, string | number | boolean> {
	return Object.assign(Object.create(null), ...SCOPES.map((scope) => scoped[scope] ?? {}));
}

/** The same with where each came from and what it overrides, sorted by name. */
export function explainValues(scoped: ScopedValues): ResolvedValue[] {
	const names = new Set(SCOPES.flatMap((scope) => Object.keys(scoped[scope] ?? {})));
	return [...names].sort().map((name) => {
		const given = SCOPES.flatMap((scope) => {
			const values = scoped[scope];
			return values && Object.hasOwn(values, name) ? [{ scope, value: values[name]! }] : [];
		});
		const winner = given.at(-1)!;
		return { name, ...winner, instead: given.slice(0, -1).filter((other) => other.value !== winner.value) };
	});
}
