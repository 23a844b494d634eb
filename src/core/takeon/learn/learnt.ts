import { NO_RULES, parseConfig, type ConfigTree, type Dialect, type DialectRules } from '../../config';
import type { Field, Known, Piece } from '../../profile';
import type { ExplainingPart } from '../library/library';
import { proofOf, type UnitProof } from '../proof';

/** A unit's running configuration, with what Limen knows of its place. */
export interface LearntFrom {
	readonly id: string;
	readonly text: string;
	/** Under the names that texts use: `site.name`, `port.uplink`. */
	readonly known?: Known;
}
export interface Learning {
	readonly dialect: Dialect;
	readonly rules?: DialectRules;
	readonly units: readonly LearntFrom[];
	/** Parts whose text in the dialect may say what the units run: what they explain is not learnt anew. */
	readonly library?: readonly Piece[];
}

/** By unit, then by field. */
type ByUnit<Value> = Readonly<Record<string, Readonly<Record<string, Value>>>>;

/** A profile that was learnt, with the values of each unit and the proof that it gives what they run. All of it is plain data. */
export interface Learnt {
	/** In the language of profiles. */
	readonly text: string;
	readonly fields: readonly Field[];
	/** Of the library, before the text. */
	readonly parts: readonly ExplainingPart[];
	/** What the profile gives these parts for all units, and what each unit gives them beside that. */
	readonly shared: Readonly<Record<string, string>>;
	readonly toParts: ByUnit<string>;
	/** What each field is at each unit, also where it follows from another; null where its statement is not there. */
	readonly seen: ByUnit<string | null>;
	/** What has to be given there. */
	readonly values: ByUnit<string>;
	readonly proofs: readonly UnitProof[];
	/** What a person should look at. */
	readonly questions: readonly Question[];
	/** Texts that cannot be read, with why. */
	readonly unread: readonly { readonly id: string; readonly problem: string }[];
	/** In characters: what the units run, and what describes it now: text, fields, values and statements of their own. */
	readonly length: { readonly before: number; readonly after: number };
}
/** Few units have something that most do not, or in another way. */
export interface Question {
	/** The blocks around it, and what it is about. */
	readonly path: readonly string[];
	readonly field: string | null;
	readonly kind: 'other value' | 'only here' | 'not here';
	readonly units: readonly string[];
	/** What most have. */
	readonly usual: string;
}

interface ReadUnit {
	readonly unit: LearntFrom;
	readonly tree: ConfigTree;
}

/** The configurations as trees, in an order of their own; those that cannot be read, with why. */
export function readUnits({ dialect, rules = NO_RULES, units }: Learning): {
	readonly known: readonly ReadUnit[];
	readonly unread: Learnt['unread'];
} {
	const read = [...units]
		.sort((a, b) => (a.text < b.text ? -1 : a.text > b.text ? 1 : a.id < b.id ? -1 : 1))
		.map((unit) => ({ unit, reading: parseConfig(unit.text, dialect, rules) }));
	return {
		known: read.flatMap(({ unit, reading }) => (reading.ok ? [{ unit, tree: reading.tree }] : [])),
		unread: read.flatMap(({ unit, reading }) =>
			reading.ok
				? []
				: [{ id: unit.id, problem: `Line ${reading.problems[0]!.line}: ${reading.problems[0]!.message}` }]
		)
	};
}

/** A text and its fields with what has to be given for each unit, proved. */
export function provenOf(
	{
		dialect,
		rules,
		units
	}: { readonly dialect: Dialect; readonly rules: DialectRules; readonly units: readonly ReadUnit[] },
	text: string,
	fields: readonly Field[],
	seen: Learnt['seen'],
	about: Pick<Learnt, 'questions' | 'unread' | 'parts' | 'shared' | 'toParts'>
): Learnt {
	const given = fields.filter(({ formula }) => formula === undefined);
	const values = Object.fromEntries(
		Object.entries(seen).map(([id, own]) => [
			id,
			{
				...about.toParts[id],
				...Object.fromEntries(
					given.flatMap(({ name, fallback }) => {
						const value = own[name] ?? null;
						return value === null || value === fallback ? [] : [[name, value]];
					})
				)
			}
		])
	);
	const proofs = units.map(({ unit, tree }) =>
		proofOf({
			dialect,
			rules,
			pieces: [...about.parts, { id: 'learnt', name: 'learnt', text, fields }],
			scoped: { profile: about.shared, position: values[unit.id]! },
			known: unit.known ?? {},
			running: tree,
			id: unit.id
		})
	);
	const sum = (lengths: readonly number[]) => lengths.reduce((all, one) => all + one, 0);
	return {
		...about,
		text,
		fields,
		seen,
		values,
		proofs,
		length: {
			before: sum(units.map(({ unit }) => unit.text.length)),
			after:
				text.length +
				sum(about.parts.map(({ name }) => name.length)) +
				sum(Object.entries(about.shared).map(([name, value]) => name.length + value.length)) +
				sum(
					fields.map(
						({ name, formula = '', fallback = '' }) => name.length + formula.length + fallback.length
					)
				) +
				sum(
					Object.values(values).flatMap((own) =>
						Object.entries(own).map(([name, value]) => name.length + value.length)
					)
				) +
				sum(proofs.map(({ own }) => JSON.stringify(own).length))
		}
	};
}
