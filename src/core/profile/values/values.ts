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
const plainSchema = v.union([
	v.pipe(v.string(), v.maxLength(LARGEST_VALUE)),
	v.pipe(v.number(), v.finite()),
	v.boolean()
]);
const MOST_ITEMS = 200;
const valueSchema = v.union([
	plainSchema,
	v.pipe(v.array(plainSchema), v.maxLength(MOST_ITEMS)),
	v.pipe(
		v.array(
			v.pipe(
				v.unknown(),
				v.check((row) => !Array.isArray(row), 'A row names its columns.'),
				v.record(fieldNameSchema, plainSchema)
			)
		),
		v.maxLength(MOST_ITEMS)
	)
]);
export const valuesSchema = v.pipe(
	v.record(fieldNameSchema, valueSchema),
	v.check(
		(values) => Object.keys(values).length <= MOST_VALUES,
		`At most ${MOST_VALUES} values at one scope.`
	)
);
/** A single value, and all that a value can be: also a list, or a table's rows. */
export type Plain = string | number | boolean;
export type Value = Plain | readonly Plain[] | readonly Readonly<Record<string, Plain>>[];
export type Values = Readonly<Record<string, Value>>;

export type ScopedValues = Readonly<Partial<Record<Scope, Values>>>;

export interface ResolvedValue {
	readonly name: string;
	readonly value: Value;
	readonly scope: Scope;
	/** The wider scopes that give another value, widest first. */
	readonly instead: readonly { readonly scope: Scope; readonly value: Value }[];
}

/** The value each field has: the narrowest scope's. An own, prototype-less object. */
export function resolveValues(scoped: ScopedValues): Record<string, Value> {
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
