import * as v from 'valibot';
import { isQuick } from './pattern';
import { patternInWords } from './pattern-words';
import { fieldNameSchema } from './values';

/** Types of single values. What each accepts is said by `readValue`. */
const pattern = v.pipe(
	v.string(),
	v.maxLength(200),
	v.check(
		(text) => isPattern(text),
		'This is no pattern (a regular expression), or one that could take for ever: repeat no group that repeats or chooses inside itself, and nothing more than three times without an end.'
	)
);
const version = v.optional(v.picklist([4, 6]));
const number = v.pipe(v.number(), v.safeInteger());
const SIMPLE = [
	v.object({ kind: v.literal('hostname') }),
	v.object({ kind: v.literal('address'), version }),
	v.object({ kind: v.literal('prefix'), version }),
	v.object({ kind: v.literal('interface address'), version }),
	v.object({ kind: v.literal('vlan') }),
	v.object({ kind: v.literal('asn') }),
	v.object({ kind: v.literal('number'), least: v.optional(number), most: v.optional(number) }),
	v.object({
		kind: v.literal('choice'),
		choices: v.pipe(
			v.array(v.pipe(v.string(), v.minLength(1), v.maxLength(100))),
			v.minLength(1),
			v.maxLength(100)
		)
	}),
	v.object({ kind: v.literal('yes or no') }),
	v.object({ kind: v.literal('text'), pattern: v.optional(pattern) }),
	v.object({
		kind: v.literal('secret'),
		shortest: v.optional(number),
		/** Somebody outside gives it, such as a provider: Limen never makes it anew. */
		given: v.optional(v.boolean()),
		/** The unit's local account whose password it is: that it lets in, and the old one does not, can be tried. */
		account: v.optional(v.pipe(v.string(), v.regex(/^[a-z][a-z0-9_-]{0,31}$/, 'The name of an account.')))
	}),
	v.object({ kind: v.literal('mac') }),
	v.object({ kind: v.literal('url') }),
	v.object({ kind: v.literal('duration') })
] as const;
const simpleSchema = v.variant('kind', SIMPLE);
export type SimpleType = v.InferOutput<typeof simpleSchema>;

const column = v.object({ name: fieldNameSchema, type: simpleSchema });
export const fieldTypeSchema = v.variant('kind', [
	...SIMPLE,
	v.object({ kind: v.literal('list'), of: simpleSchema }),
	v.object({ kind: v.literal('table'), columns: v.pipe(v.array(column), v.minLength(1), v.maxLength(8)) })
]);
export type FieldType = v.InferOutput<typeof fieldTypeSchema>;
export const FIELD_KINDS = [...SIMPLE.map(({ entries }) => entries.kind.literal), 'list', 'table'] as const;

export type Column = v.InferOutput<typeof column>;

/** Whether what a type holds must not be shown. */
export const isSecretType = (type: FieldType): boolean => type.kind === 'secret';

export const versionSaid = (version: 4 | 6 | undefined) => (version ? `IPv${version} ` : '');

/** What a type accepts, in a few words for the head of a column. */
export function describeType(type: FieldType): string {
	switch (type.kind) {
		case 'address':
		case 'prefix':
		case 'interface address':
			return `${versionSaid(type.version)}${type.kind}`;
		case 'number':
			return `number${type.least === undefined ? '' : ` from ${type.least}`}${type.most === undefined ? '' : ` to ${type.most}`}`;
		case 'choice':
			return `one of ${type.choices.join(', ')}`;
		case 'text':
			return type.pattern === undefined ? 'text' : `text of ${patternInWords(type.pattern)}`;
		case 'list':
			return `list of ${describeType(type.of)}, separated by commas`;
		case 'table':
			return `rows separated by “;”, each ${type.columns.map(({ name }) => name).join(', ')}`;
		case 'secret':
			return `secret${type.account === undefined ? '' : ` of the account ${type.account}`}${type.given ? ', given by somebody else' : ''}`;
		default:
			return type.kind;
	}
}

const patterns = new Map<string, RegExp>();
export function patternOf(text: string): RegExp {
	let made = patterns.get(text);
	if (!made) {
		if (patterns.size >= 500) patterns.clear();
		patterns.set(text, (made = new RegExp(`^(?:${text})$`, 'u')));
	}
	return made;
}

function isPattern(text: string): boolean {
	try {
		new RegExp(`^(?:${text})$`, 'u');
		return isQuick(text);
	} catch {
		return false;
	}
}
