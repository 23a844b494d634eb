import type { Dialect } from '../../config';
import { guessType, readValue, writeValue, type Field, type FieldType, type Known } from '../../profile';
import { formulaFrom, type Column } from './derive';
import { usualOf } from './usual';
import { free, nameOf, slug, type Standing } from './names';

/** A place in the text at which the units differ. */
export interface Hole extends Standing {
	/** By unit, as it stands in the configuration; null where the statement is not there. */
	readonly values: Column;
	readonly dialect: Dialect;
	/** By what it is called: it is kept sealed. */
	readonly isSecret: boolean;
}

/** How a value stands in the text: as it is, between quotation marks, or as XML has it. */
type Form = 'plain' | 'quoted' | 'xml';

interface Found {
	readonly values: Column;
	readonly holes: Hole[];
	readonly type: FieldType;
	name: string;
	/** How it follows from another. */
	formula: string | null;
}
interface Condition {
	readonly has: readonly boolean[];
	readonly there: readonly boolean[];
	readonly about: readonly string[];
	name: string;
}

/** The fields of a profile that is being learnt: places whose values always vary together are one. */
export class FieldsFound {
	readonly #known: readonly Known[];
	readonly #taken: Set<string>;
	readonly #holes: { readonly field: Found; readonly form: Form }[] = [];
	readonly #byValues = new Map<string, Found>();
	readonly #conditions: Condition[] = [];

	/** `taken`: names that no field may have. */
	constructor(known: readonly Known[], taken: readonly string[] = []) {
		this.#known = known;
		this.#taken = new Set(taken);
	}

	/** Its number, as it is marked in the text. */
	add(hole: Hole): number {
		const { values, form } = plain(hole);
		const key = JSON.stringify(values);
		let field = this.#byValues.get(key);
		if (!field) {
			field = { values, holes: [], type: typeOf(values, hole), name: '', formula: null };
			this.#byValues.set(key, field);
		}
		field.holes.push(hole);
		return this.#holes.push({ field, form }) - 1;
	}

	addCondition(has: readonly boolean[], there: readonly boolean[], about: readonly string[]): number {
		const same = this.#conditions.findIndex(
			(one) =>
				has.every((value, at) => !(there[at] && one.there[at]) || value === one.has[at]) &&
				JSON.stringify(one.there) === JSON.stringify(there)
		);
		return same >= 0 ? same : this.#conditions.push({ has, there, about, name: '' }) - 1;
	}

	/** Once all places are known: names, and what follows from what. */
	settle(): void {
		const all = sortedBy([...this.#byValues.values()], keyOf);
		for (const field of all) field.name = nameOf(field.holes, this.#taken);
		for (const one of this.#conditions) one.name = free(`has_${slug(one.about.slice(-1))}`, this.#taken);
		this.#derive(all);
	}

	/** The field of a place as the text says it. */
	said(number: number): string {
		const { field, form } = this.#holes[number]!;
		return form === 'plain' ? field.name : `${field.name} | ${form}`;
	}
	conditionName(number: number): string {
		return this.#conditions[number]!.name;
	}

	/** Those that the text or another formula needs. */
	fields(text: string): readonly Field[] {
		const isUsed = namesIn(text);
		const byName = new Map([...this.#byValues.values()].map((field) => [field.name, field]));
		const used = new Set([...byName.values()].filter(({ name }) => isUsed.has(name)));
		for (const { formula } of used) {
			// It begins with what it follows from
			const source = formula === null ? undefined : byName.get(/^\w+/.exec(formula)![0]);
			if (source) used.add(source);
		}
		return [
			...[...used].map((field): Field => {
				const usual = field.formula === null ? usualAt(field.values, field.type) : null;
				return {
					name: field.name,
					type: field.type,
					description: `${[...field.holes[0]!.path, field.holes[0]!.head].filter(Boolean).join(' › ')}`.slice(
						0,
						500
					),
					example:
						field.type.kind === 'secret'
							? ''
							: (field.values.find((value) => value !== null) ?? '').slice(0, 500),
					// Where its statement is not there it has none
					need: isEverywhere(field) ? 'required' : 'optional',
					scope: 'position',
					...(field.formula !== null && { formula: field.formula }),
					...(usual !== null && { fallback: usual })
				};
			}),
			...this.#conditions
				.filter(({ name }) => isUsed.has(name))
				.map(({ name, about }): Field => ({
					name,
					type: { kind: 'yes or no' },
					description: `Whether it has ${about.join(' › ')}`.slice(0, 500),
					example: '',
					need: 'required',
					scope: 'position',
					fallback: 'no'
				}))
		].sort((a, b) => compare(a.name, b.name));
	}

	/** What each of the fields is at a unit; null where its statement is not there. */
	seenBy(unit: number, fields: readonly Field[]): Readonly<Record<string, string | null>> {
		const named = new Set(fields.map(({ name }) => name));
		return Object.fromEntries(
			[
				...[...this.#byValues.values()].map(({ name, values }) => [name, values[unit] ?? null] as const),
				...this.#conditions.map(({ name, has }) => [name, has[unit] ? 'yes' : 'no'] as const)
			].filter(([name]) => named.has(name))
		);
	}

	/** Fields of which few units have another value than all others. */
	oddValues(
		fields: readonly Field[],
		isFew: (count: number, all: number) => boolean
	): {
		readonly path: readonly string[];
		readonly field: string;
		readonly units: readonly number[];
		readonly usual: string;
	}[] {
		const named = new Set(fields.map(({ name }) => name));
		return [...this.#byValues.values()].flatMap(({ name, values, holes, formula, type }) => {
			const usual = usualAt(values, type);
			if (!named.has(name) || formula !== null || usual === null) return [];
			const there = values.filter((value) => value !== null).length;
			const others = values.flatMap((value, at) => (value !== null && value !== usual ? [at] : []));
			return isFew(others.length, there)
				? [
						{
							path: [...holes[0]!.path, holes[0]!.head],
							field: name,
							units: others,
							usual
						}
					]
				: [];
		});
	}

	/** First from what Limen knows, then from as few fields as can be. */
	#derive(all: readonly Found[]): void {
		const knownNames = [
			...new Set(
				this.#known.flatMap((one) =>
					Object.entries(one).flatMap(([group, values]) =>
						Object.keys(values).map((name) => `${group}.${name}`)
					)
				)
			)
		].sort();
		const columns = knownNames.map(
			(name) => [name, this.#known.map((one) => knownValue(one, name))] as const
		);
		const open = new Set(all);
		const shortest = (field: Found, sources: readonly (readonly [string, Column])[]) =>
			sources
				.flatMap(([name, column]) => formulaFrom(name, column, field.values) ?? [])
				.sort((a, b) => a.length - b.length || compare(a, b))[0];
		for (const field of all) {
			// What is Limen’s own is the same everywhere, and follows all the same
			const [limens] = columns.find(
				([name, column]) =>
					name.startsWith('limen.') &&
					field.values.every((value, at) => value === null || value === column[at])
			) ?? [undefined];
			const formula = limens ?? shortest(field, columns);
			if (formula === undefined || field.type.kind === 'secret') continue;
			field.formula = formula;
			open.delete(field);
		}
		// What is shortest to give is given; what follows from it is not
		const bases = all
			.filter((field) => open.has(field) && field.type.kind !== 'secret')
			.sort((a, b) => rankOf(a) - rankOf(b) || weight(a) - weight(b));
		for (const base of bases) {
			// A formula that reads what is not there fails
			if (!isEverywhere(base) || !open.delete(base)) continue;
			for (const field of bases) {
				const formula = open.has(field) ? formulaFrom(base.name, base.values, field.values) : null;
				if (formula === null) continue;
				field.formula = formula;
				open.delete(field);
			}
		}
	}
}

/** The fields and conditions that a text that was learnt reads. */
const namesIn = (text: string): ReadonlySet<string> =>
	new Set([...text.matchAll(/\{(?:\{|% if) ([a-z]\w*)/g)].map(([, name]) => name!));

const isEverywhere = ({ values }: Pick<Found, 'values'>): boolean => values.every((value) => value !== null);
const compare = (a: string, b: string) => (a < b ? -1 : a > b ? 1 : 0);
/** Each key is made once. */
const sortedBy = <One>(all: readonly One[], keyOf: (one: One) => string): readonly One[] =>
	all
		.map((one) => ({ one, key: keyOf(one) }))
		.sort((a, b) => compare(a.key, b.key))
		.map(({ one }) => one);
const keyOf = ({ holes, values }: Pick<Found, 'holes' | 'values'>) =>
	JSON.stringify([
		holes[0]!.path.length,
		holes[0]!.path,
		holes[0]!.head,
		holes[0]!.before,
		[...values].sort()
	]);
/** Numbers say least, and what else follows from them; addresses follow from the blocks they are in. */
const rankOf = ({ type: { kind } }: Found): number =>
	kind === 'number' || kind === 'vlan'
		? 0
		: kind === 'prefix'
			? 1
			: kind === 'interface address'
				? 3
				: kind === 'address'
					? 4
					: 2;
/** Of two that give each other the shorter values are given. */
const weight = ({ values }: Found) => values.reduce((sum, value) => sum + (value?.length ?? 0), 0);

/** What more than half of the units have; null where there is no such. A secret stands in no profile. */
const usualAt = (values: Column, { kind }: FieldType): string | null =>
	kind === 'secret' ? null : usualOf(values);

function knownValue(known: Known, name: string): string | null {
	const [group, inner] = name.split('.') as [string, string];
	const value = known[group]?.[inner];
	return typeof value === 'string' || typeof value === 'number' ? String(value) : null;
}

/** The values without the signs that stand around them, and how they stand in the text. */
function plain({ values, dialect }: Hole): { readonly values: Column; readonly form: Form } {
	if (dialect === 'xml') return { values, form: 'xml' };
	const unquoted = values.map((value) => (value === null ? null : withoutQuotes(value)));
	return unquoted.every((value, at) => value !== null || values[at] === null)
		? { values: unquoted, form: 'quoted' }
		: { values, form: 'plain' };
}
function withoutQuotes(value: string): string | null {
	if (!/^".*"$/s.test(value)) return null;
	try {
		const read: unknown = JSON.parse(value);
		return typeof read === 'string' && JSON.stringify(read) === value ? read : null;
	} catch {
		return null;
	}
}

/** The type that all values have and that writes each as it was. */
function typeOf(values: Column, { before, head, isSecret }: Hole): FieldType {
	const there = [...new Set(values.filter((value) => value !== null))];
	const types = there.map((value) => guessType(value, `${head} ${before}`));
	const kinds = new Set(types.map(({ kind }) => kind));
	const versions = new Set(types.map((type) => ('version' in type ? type.version : undefined)));
	const type: FieldType =
		kinds.size !== 1
			? { kind: 'text' }
			: versions.size > 1
				? ({ kind: types[0]!.kind } as FieldType)
				: types[0]!;
	const keeps = (one: FieldType) =>
		there.every((value) => {
			const read = readValue(one, value);
			return read.ok && writeValue(read.value) === value;
		});
	if (isSecret || types.some(({ kind }) => kind === 'secret'))
		return { kind: 'secret', shortest: Math.min(...there.map(({ length }) => length)) };
	return keeps(type) ? type : { kind: 'text' };
}
