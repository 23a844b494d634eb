import {
	labelOf,
	NO_RULES,
	printConfig,
	splitWords,
	statementOf,
	type ConfigNode,
	type ConfigTree,
	type Dialect
} from '../../config';
import { isSecretName } from '../../profile';
import { escaped } from './reshape';
import { alignTrees, sharedEnds, type Slot } from './align';
import { FieldsFound, type Hole } from './fields';
import { cutAgainst } from '../library/library';
import { provenOf, readUnits, type Learnt, type Learning, type Question } from './learnt';

/** A few are so many of all, one at least; of fewer than this nobody is few. */
const FEW = 0.1;
const FEWEST_FOR_FEW = 4;
const isFew = (count: number, all: number): boolean =>
	all >= FEWEST_FOR_FEW && count <= Math.max(1, Math.floor(all * FEW));

/** Marks in a printed tree: where a field goes, and where a condition begins and ends. Of a private use: no configuration has them. */
const [HOLE, BEGIN, END, CLOSE] = ['\uE000', '\uE001', '\uE002', '\uE003'];

/**
 * Learns one profile from the running configurations of units of one dialect: what all share is its text, what differs in a
 * statement is a field, what some have and some have not is a condition; what few have is left to them as statements of their
 * own. A value that follows from another, or from what Limen knows of the place, is a formula. What parts of the library
 * say is theirs.
 * Laws: each unit's proof says that rendering the profile with its values, and its own statements, gives what it runs, or names
 * what is left; the order of the units changes nothing; no proof that holds without a library fails with one.
 */
export function learn(learning: Learning): Learnt {
	const learnt = learnWith(learning);
	if (learnt.parts.length === 0 || learnt.proofs.every(({ holds }) => holds)) return learnt;
	// What stands in another order once its parts are put together is better learnt as a whole
	const without = learnWith({ ...learning, library: [] });
	const failed = new Set(learnt.proofs.flatMap(({ id, holds }) => (holds ? [] : [id])));
	return without.proofs.some(({ id, holds }) => holds && failed.has(id)) ? without : learnt;
}

function learnWith({ dialect, rules = NO_RULES, units, library = [] }: Learning): Learnt {
	const { known, unread } = readUnits({ dialect, rules, units });
	const ids = known.map(({ unit }) => unit.id);
	const cut = cutAgainst(
		known.map(({ unit, tree: one }) => ({ tree: one, known: unit.known ?? {} })),
		library,
		dialect,
		rules
	);
	const found = new FieldsFound(
		known.map(({ unit }) => unit.known ?? {}),
		cut.parts.flatMap(({ fields: declared }) => declared.map(({ name }) => name))
	);
	/** Limen’s own key and addresses are renewed by it: where its key lets it in already, they stand in no text. */
	const limen = known[0]?.unit.known?.limen ?? {};
	const isLetIn = known.every(({ unit }) => limen.public_key && unit.text.includes(String(limen.public_key)));
	const limens = new Set(isLetIn ? Object.values(limen).map(String) : []);
	const isLimens = (word: string) => limens.has(word) || limens.has(word.replace(/^"(.*)"$/s, '$1'));
	const questions: Question[] = [];
	const all = known.map(() => true);
	const tree = known.length === 0 ? [] : draw(alignTrees(cut.trees), all, []);
	found.settle();
	const text = written(printConfig(tree, dialect), found);
	const fields = found.fields(text);
	const seen = Object.fromEntries(ids.map((id, at) => [id, found.seenBy(at, fields)]));
	return provenOf({ dialect, rules, units: known }, text, fields, seen, {
		questions: [
			...questions,
			...found
				.oddValues(fields, isFew)
				.map((odd) => ({ ...odd, kind: 'other value' as const, units: odd.units.map((at) => ids[at]!) })),
			...oddForParts()
		],
		unread,
		parts: cut.parts,
		shared: cut.shared,
		toParts: Object.fromEntries(ids.map((id, at) => [id, cut.values[at]!]))
	});

	/** Fields of parts of which few units have another value than all others. */
	function oddForParts(): Question[] {
		return cut.parts.flatMap(({ name: part, fields: declared }) =>
			declared.flatMap(({ name }): Question[] => {
				const usual = cut.shared[name];
				const units = ids.filter((_, at) => Object.hasOwn(cut.values[at]!, name));
				return usual !== undefined && isFew(units.length, ids.length) && units.length > 0
					? [{ path: [part], field: name, kind: 'other value', units, usual }]
					: [];
			})
		);
	}

	/** The slots as one tree, with marks; `there`: the units that have what is around them. */
	function draw(slots: readonly Slot[], there: readonly boolean[], path: readonly string[]): ConfigTree {
		const count = there.filter(Boolean).length;
		return slots.flatMap((slot) => {
			const has = slot.nodes.map((node) => node !== null);
			const own = has.filter(Boolean).length;
			const about = [...path, labelOf(slot.nodes.find((node) => node !== null)!)];
			const without = ids.filter((_, at) => there[at] && !has[at]);
			const isOnlyHere = own < count && isFew(own, count);
			const isConditional = own < count && !isOnlyHere && !isFew(count - own, count);
			if (isOnlyHere) {
				// Without it in the text the proof finds it again as the units' own
				questions.push({
					path: about,
					field: null,
					kind: 'only here',
					units: ids.filter((_, at) => has[at]),
					usual: ''
				});
				return [];
			}
			if (own < count && !isConditional)
				questions.push({ path: about, field: null, kind: 'not here', units: without, usual: about.at(-1)! });
			if (isConditional && !canBeConditional(dialect)) return [];
			const node = drawn(slot, has, path);
			return isConditional ? conditional(node, has, there, about) : [node];
		});
	}

	function drawn(slot: Slot, has: readonly boolean[], path: readonly string[]): ConfigNode {
		const rest = template(slot, path);
		const label = statementOf({ head: slot.head, rest: '' });
		return {
			kind: slot.kind,
			head: escaped(slot.head),
			rest,
			line: 0,
			children: slot.kind === 'leaf' ? [] : draw(slot.children, has, [...path, label === '' ? rest : label])
		};
	}

	/** The words behind the first, with a mark where they differ. */
	function template(slot: Slot, path: readonly string[]): string {
		const rests = slot.nodes.map((node) => node?.rest ?? null);
		const there = rests.filter((rest) => rest !== null);
		const [first = ''] = there;
		const isPlain = secretIn(slot.head, wordsOf(first)) < 0 && !wordsOf(first).some(isLimens);
		if (isPlain && there.every((rest) => rest === first)) return escaped(first);
		const { split, between } = wordsIn(dialect, there);
		const words = rests.map((rest) => (rest === null ? null : split(rest)));
		const texts = words.filter((one) => one !== null);
		const lengths = new Set(texts.map(({ length }) => length));
		const hole = (values: readonly (string | null)[], before: string, isSecret: boolean): string =>
			`${HOLE}${found.add({ values, path, head: slot.head, before, dialect, isSecret } satisfies Hole)}${CLOSE}`;
		// Where it stands, also where all have the same: in no text
		const secrets = texts.map((text) => secretIn(slot.head, text));
		if (lengths.size === 1)
			return texts[0]!
				.map((word, at) =>
					texts.every((text) => text[at] === word) && !secrets.includes(at) && !isLimens(word)
						? escaped(word)
						: hole(
								words.map((text) => text?.[at] ?? null),
								at === 0 ? slot.head : texts[0]![at - 1]!,
								secrets.includes(at)
							)
				)
				.join(between);
		const shared = sharedEnds(texts);
		const hasSecret = secrets.some((at) => at >= 0);
		const ends = hasSecret
			? { first: Math.min(shared.first, ...secrets.filter((at) => at >= 0)), last: 0 }
			: shared;
		const inner = words.map((text) => text?.slice(ends.first, text.length - ends.last).join(between) ?? null);
		return [
			...texts[0]!.slice(0, ends.first).map(escaped),
			hole(inner, ends.first === 0 ? slot.head : texts[0]![ends.first - 1]!, hasSecret),
			...texts[0]!.slice(texts[0]!.length - ends.last).map(escaped)
		].join(between);
	}

	function conditional(
		node: ConfigNode,
		has: readonly boolean[],
		there: readonly boolean[],
		about: readonly string[]
	): ConfigTree {
		const number = found.addCondition(has, there, about);
		const mark = (sign: string): ConfigNode => ({
			kind: 'leaf',
			head: `${sign}${number}${CLOSE}`,
			rest: '',
			line: 0,
			children: []
		});
		return [mark(BEGIN), node, mark(END)];
	}
}

/** What of a value can differ by itself: JSON's values are whole, XML's too, but for lists of numbers and addresses. */
function wordsIn(dialect: Dialect, values: readonly string[]) {
	const whole = { split: (value: string): readonly string[] => [value], between: ' ' };
	if (dialect === 'json') return whole;
	if (dialect !== 'xml') return { ...whole, split: (value: string) => splitWords(value) ?? [value] };
	const between = [' ', ','].find((sign) =>
		values.every((value) => value.split(sign).every((word) => /^[\d.:/]+$/.test(word)))
	);
	return between === undefined ? whole : { between, split: (value: string) => value.split(between) };
}

const wordsOf = (rest: string): readonly string[] => (rest === '' ? [] : (splitWords(rest) ?? [rest]));

/** Which of a statement's words behind the first is a secret, by the word before it; a number between them says how it is written. -1: none. */
function secretIn(head: string, words: readonly string[]): number {
	const named = [head, ...words].findIndex((word) => isSecretName(word.toLowerCase()));
	if (named < 0 || named >= words.length) return -1;
	return /^\d{1,2}$/.test(words[named]!) && named + 1 < words.length ? named + 1 : named;
}

/** Where a text is made of pieces between commas, what may not be there cannot stand in it. */
const canBeConditional = (dialect: Dialect): boolean => dialect === 'indented' || dialect === 'braced';

/** The printed tree in the language of profiles. */
function written(printed: string, found: FieldsFound): string {
	return printed
		.split('\n')
		.map((line) => {
			const condition = new RegExp(`^\\s*([${BEGIN}${END}])(\\d+)${CLOSE};?\\s*$`).exec(line);
			if (condition)
				return condition[1] === BEGIN
					? `{% if ${found.conditionName(Number(condition[2]))} %}`
					: '{% endif %}';
			return line.replace(
				new RegExp(`${HOLE}(\\d+)${CLOSE}`, 'g'),
				(_, number: string) => `{{ ${found.said(Number(number))} }}`
			);
		})
		.join('\n');
}
