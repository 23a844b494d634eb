import * as v from 'valibot';
import { NO_RULES, type Dialect } from '../../config';
import { fieldNameSchema, type Field } from '../../profile';
import { provenOf, readUnits, type Learning, type Learnt } from './learnt';

/** What somebody wants otherwise in a profile that was learnt. */
export const learntChoiceSchema = v.variant('kind', [
	v.object({ kind: v.literal('rename'), field: fieldNameSchema, to: fieldNameSchema }),
	/** What most have is text; whoever has another keeps it as a statement of its own. */
	v.object({ kind: v.literal('constant'), field: fieldNameSchema }),
	/** Both are one, the other; where they differ, the statements of the first are the unit’s own. */
	v.object({ kind: v.literal('merge'), field: fieldNameSchema, into: fieldNameSchema }),
	/** One of the places of a field, counted from 0, becomes a field by itself. */
	v.object({
		kind: v.literal('split'),
		field: fieldNameSchema,
		place: v.pipe(v.number(), v.integer(), v.minValue(0), v.maxValue(2_000)),
		to: fieldNameSchema
	}),
	/** It does not follow from another: it is given. */
	v.object({ kind: v.literal('give'), field: fieldNameSchema }),
	v.object({ kind: v.literal('scope'), field: fieldNameSchema, scope: v.picklist(['site', 'position']) }),
	/** What a part of the library says, by the part's id, is learnt as text of its own; whoever learns leaves it out. */
	v.object({ kind: v.literal('write out'), part: v.pipe(v.string(), v.uuid()) })
]);
export type LearntChoice = v.InferOutput<typeof learntChoiceSchema>;

/** What is being changed: without values and proofs, which follow from it. */
interface Shape {
	readonly text: string;
	readonly fields: readonly Field[];
	readonly seen: Learnt['seen'];
	readonly parts: Learnt['parts'];
}
type Reshaped =
	{ readonly ok: true; readonly shape: Shape } | { readonly ok: false; readonly problem: string };

/**
 * A profile that was learnt as somebody wants it, choice by choice, proved anew. A choice that cannot be made is left out and
 * told. Laws: without choices nothing changes; each proof holds or names what is left, as after learning.
 */
export function reshape(
	{ dialect, rules = NO_RULES, units }: Learning,
	learnt: Learnt,
	choices: readonly LearntChoice[]
): { readonly learnt: Learnt; readonly problems: readonly string[] } {
	if (choices.length === 0) return { learnt, problems: [] };
	let shape: Shape = learnt;
	const problems: string[] = [];
	let questions = learnt.questions;
	for (const choice of choices) {
		if (choice.kind === 'write out') continue;
		const next = chosen(shape, choice, dialect);
		if (!next.ok) {
			problems.push(next.problem);
			continue;
		}
		shape = next.shape;
		if (choice.kind === 'rename')
			questions = questions.map((one) => (one.field === choice.field ? { ...one, field: choice.to } : one));
	}
	const names = new Set([shape, ...shape.parts].flatMap(({ fields }) => fields.map(({ name }) => name)));
	return {
		learnt: provenOf(
			{ dialect, rules, units: readUnits({ dialect, rules, units }).known },
			shape.text,
			shape.fields,
			shape.seen,
			{
				questions: questions.filter(({ field }) => field === null || names.has(field)),
				unread: learnt.unread,
				parts: learnt.parts,
				shared: learnt.shared,
				toParts: learnt.toParts
			}
		),
		problems
	};
}

function chosen(
	shape: Shape,
	choice: Exclude<LearntChoice, { kind: 'write out' }>,
	dialect: Dialect
): Reshaped {
	const field = shape.fields.find(({ name }) => name === choice.field);
	if (!field) return no(`There is no field ${choice.field} any more.`);
	const isTaken = (name: string) =>
		[shape, ...shape.parts].some(({ fields }) => fields.some((one) => one.name === name));
	switch (choice.kind) {
		case 'rename':
			if (isTaken(choice.to)) return no(`There is a field ${choice.to} already.`);
			return ok(replaced(shape, field, choice.to, { ...field, name: choice.to }));
		case 'scope':
			return ok({ ...shape, fields: changed(shape, { ...field, scope: choice.scope }) });
		case 'give':
			return ok({ ...shape, fields: changed(shape, given(field, shape)) });
		case 'merge': {
			const into = shape.fields.find(({ name }) => name === choice.into);
			if (!into || into === field) return no(`There is no other field ${choice.into}.`);
			if ((into.type.kind === 'secret') !== (field.type.kind === 'secret'))
				return no('A secret can be one with another secret only.');
			const merged = replaced(shape, field, choice.into, null);
			// Where the one is not there, the other's value is what is needed
			const seen = Object.fromEntries(
				Object.entries(shape.seen).map(([id, own]) => [
					id,
					{ ...merged.seen[id], [choice.into]: own[choice.into] ?? own[field.name] ?? null }
				])
			);
			return ok({ ...merged, seen });
		}
		case 'split': {
			const places = [...shape.text.matchAll(holeOf(field.name))];
			const place = places[choice.place];
			if (!place || places.length < 2) return no(`${field.name} has no such place, or only one.`);
			if (isTaken(choice.to)) return no(`There is a field ${choice.to} already.`);
			const at = place.index;
			return ok({
				...shape,
				text:
					shape.text.slice(0, at) +
					place[0].replace(field.name, choice.to) +
					shape.text.slice(at + place[0].length),
				fields: [...shape.fields, { ...field, name: choice.to }],
				seen: mapped(shape.seen, (own) => ({ ...own, [choice.to]: own[field.name] ?? null }))
			});
		}
		case 'constant':
			return constant(shape, field, dialect);
	}
}

/** What most units have stands in the text, and whoever reads the field in a formula is given its value. */
function constant(shape: Shape, field: Field, dialect: Dialect): Reshaped {
	if (field.type.kind === 'secret') return no('A secret stands in no text.');
	const value = mostHave(Object.values(shape.seen).map((own) => own[field.name] ?? null));
	if (value === null) return no(`${field.name} has no value anywhere.`);
	const freed = shape.fields.map((one) => (readsName(one.formula, field.name) ? given(one, shape) : one));
	const text =
		field.type.kind === 'yes or no' && isCondition(shape.text, field.name)
			? decided(shape.text, field.name, value === 'yes')
			: shape.text.replace(holeOf(field.name), (_, form: string | undefined) =>
					escaped(
						form === 'quoted'
							? JSON.stringify(value)
							: form === 'xml' && dialect === 'xml'
								? xmlText(value)
								: value
					)
				);
	return ok({
		...shape,
		text,
		fields: freed.filter(({ name }) => name !== field.name),
		seen: mapped(shape.seen, ({ [field.name]: _, ...own }) => own)
	});
}

const ok = (shape: Shape): Reshaped => ({ ok: true, shape });
const no = (problem: string): Reshaped => ({ ok: false, problem });

/** The places of a field in a text that was learnt, with how it stands there. */
const holeOf = (name: string) => new RegExp(`\\{\\{ ${name}(?: \\| (quoted|xml))? \\}\\}`, 'g');
const isCondition = (text: string, name: string) => text.includes(`{% if ${name} %}`);
/** What a learnt formula reads: one source, its first word; what follows are filters and words in quotation marks. */
const SOURCE = /^[\w.]+/;
const readsName = (formula: string | undefined, name: string) =>
	formula !== undefined && SOURCE.exec(formula)?.[0] === name;

/** A field under another name, or in the place of another, wherever it is read. */
function replaced(shape: Shape, { name }: Field, to: string, becomes: Field | null): Shape {
	return {
		...shape,
		text: shape.text
			.replace(holeOf(name), (hole) => hole.replace(name, to))
			.replaceAll(`{% if ${name} %}`, `{% if ${to} %}`),
		fields: shape.fields.flatMap((one) =>
			one.name === name
				? becomes
					? [becomes]
					: []
				: [readsName(one.formula, name) ? { ...one, formula: one.formula!.replace(SOURCE, to) } : one]
		),
		seen: mapped(shape.seen, ({ [name]: own, ...others }) =>
			becomes ? { ...others, [to]: own ?? null } : others
		)
	};
}

const changed = ({ fields }: Shape, field: Field): readonly Field[] =>
	fields.map((one) => (one.name === field.name ? field : one));

/** Without its formula; what most have is used where nothing is given. */
function given({ formula, ...field }: Field, { seen }: Shape): Field {
	if (formula === undefined) return field;
	const values = Object.values(seen).map((own) => own[field.name] ?? null);
	const usual = mostHave(values);
	const isUsual = usual !== null && values.filter((value) => value === usual).length > values.length / 2;
	return isUsual && field.type.kind !== 'secret' ? { ...field, fallback: usual } : field;
}

function mostHave(values: readonly (string | null)[]): string | null {
	const counts = new Map<string, number>();
	for (const value of values) if (value !== null) counts.set(value, (counts.get(value) ?? 0) + 1);
	const [most] = [...counts].sort(([a, m], [b, n]) => n - m || (a < b ? -1 : 1));
	return most?.[0] ?? null;
}

/** A text in which a condition is no question any more. Conditions that were learnt end with the next end of their depth. */
function decided(text: string, name: string, holds: boolean): string {
	const lines: string[] = [];
	/** Of each condition around the line: whether it is the one, and whether its lines stay. */
	const around: { readonly isIt: boolean; readonly stays: boolean }[] = [];
	for (const line of text.split('\n')) {
		const begun = /^\s*\{% if (\w+) %\}$/.exec(line);
		const stays = around.every((one) => one.stays);
		if (begun) {
			const isIt = begun[1] === name;
			around.push({ isIt, stays: !isIt || holds });
			if (!isIt && stays) lines.push(line);
		} else if (/^\s*\{% endif %\}$/.test(line)) {
			const { isIt } = around.pop()!;
			if (!isIt && around.every((one) => one.stays)) lines.push(line);
		} else if (stays) lines.push(line);
	}
	return lines.join('\n');
}

const mapped = <From, To>(
	seen: Readonly<Record<string, From>>,
	change: (own: From) => To
): Readonly<Record<string, To>> =>
	Object.fromEntries(Object.entries(seen).map(([id, own]) => [id, change(own)]));

/** What would be read as the language of profiles, said in it. */
export const escaped = (text: string): string =>
	text.replace(/\{\{|\{%/g, (sign) => `{{ ${JSON.stringify(sign)} }}`);
/** As the filter of the same name writes it. */
const xmlText = (text: string): string => text.replace(/[&<>"']/g, (sign) => `&#${sign.charCodeAt(0)};`);
