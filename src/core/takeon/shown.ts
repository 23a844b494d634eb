import { isSecretType, maskSecrets, ownWords, describeType, type Field } from '../profile';
import type { Learnt, Question } from './learn/learnt';

/** How one field varies across the units. A secret's values are counted and not said. */
export interface ShownField {
	readonly name: string;
	readonly type: string;
	readonly isSecret: boolean;
	/** Where its value stands: the blocks and the statement. */
	readonly about: string;
	readonly formula: string | null;
	readonly fallback: string | null;
	readonly scope: Field['scope'];
	/** At how many places of the text it stands. */
	readonly places: number;
	/** The most frequent first. */
	readonly values: readonly { readonly value: string; readonly units: number }[];
	readonly different: number;
	/** Those few that have another value than all others. */
	readonly odd: readonly string[];
}
/** A part of the library that says some of what the units run. */
export interface ShownPart {
	readonly id: string;
	readonly name: string;
	readonly statements: number;
	/** What it is given, by field: for all units alike, or by each; secrets are not said. */
	readonly given: readonly { readonly name: string; readonly value: string | null }[];
}
export interface ShownLearnt {
	readonly text: string;
	readonly parts: readonly ShownPart[];
	readonly fields: readonly ShownField[];
	/** Without secrets in what they say. */
	readonly questions: readonly (Omit<Question, 'path'> & { readonly path: string })[];
	readonly proofs: readonly {
		readonly id: string;
		readonly holds: boolean;
		readonly own: readonly string[];
		readonly left: number;
		readonly problems: readonly string[];
	}[];
	readonly length: Learnt['length'];
}

const VALUES_SHOWN = 5;
const LONGEST_SHOWN = 200;

/** What was learnt as people may see it: no secret stands in it. */
export function shownLearnt({
	text,
	fields,
	parts,
	shared,
	toParts,
	seen,
	proofs,
	questions,
	length
}: Learnt): ShownLearnt {
	const units = Object.values(seen);
	return {
		text,
		parts: parts.map((part) => ({
			id: part.id,
			name: part.name,
			statements: part.statements,
			given: part.fields.flatMap(({ name }): ShownPart['given'] =>
				Object.hasOwn(shared, name)
					? [{ name, value: shared[name]!.slice(0, LONGEST_SHOWN) }]
					: Object.values(toParts).some((own) => Object.hasOwn(own, name))
						? [{ name, value: null }]
						: []
			)
		})),
		fields: fields.map(({ name, type, description, formula, fallback, scope }) => {
			const counts = new Map<string, number>();
			for (const own of units) {
				const value = own[name] ?? null;
				if (value !== null) counts.set(value, (counts.get(value) ?? 0) + 1);
			}
			const isSecret = isSecretType(type);
			return {
				name,
				type: describeType(type),
				isSecret,
				about: description,
				formula: formula ?? null,
				fallback: fallback ?? null,
				scope,
				places: text.split(new RegExp(`\\{\\{ ${name}(?: \\| \\w+)? \\}\\}`)).length - 1,
				values: isSecret
					? []
					: [...counts]
							.sort(([a, m], [b, n]) => n - m || (a < b ? -1 : 1))
							.slice(0, VALUES_SHOWN)
							.map(([value, count]) => ({ value: value.slice(0, LONGEST_SHOWN), units: count })),
				different: counts.size,
				odd: questions.find(({ field, kind }) => field === name && kind === 'other value')?.units ?? []
			};
		}),
		questions: questions.map(({ path, usual, ...one }) => ({
			...one,
			path: maskSecrets(path.join(' › ')).slice(0, 500),
			usual: maskSecrets(usual).slice(0, LONGEST_SHOWN)
		})),
		proofs: proofs.map(({ id, holds, own, left, problems }) => ({
			id,
			holds,
			own: own.map((one) => maskSecrets(ownWords(one)).slice(0, 500)),
			left: left.length,
			problems
		})),
		length
	};
}
