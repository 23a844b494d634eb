import { toJsonSchema } from '@valibot/to-json-schema';
import type { GenericSchema } from 'valibot';
import { jsonText } from '../profile';

type Described = Record<string, unknown>;

/** How a field that holds a file is written in JSON. */
const FILE: Described = {
	type: 'object',
	description: 'A file.',
	required: ['base64'],
	properties: {
		name: { type: 'string' },
		type: { type: 'string', description: 'Its media type.' },
		base64: { type: 'string', contentEncoding: 'base64' }
	}
};

/** Forms of which one is sent, told apart by what is in them (`whichever`). */
const formsIn = (schema: object): readonly GenericSchema[] =>
	'forms' in schema ? (schema.forms as GenericSchema[]) : [schema as GenericSchema];

/** What every act takes beside its form. */
const BESIDE: Described = {
	reason: { type: 'string', description: 'Why, where the act wants it.' },
	asked: { type: 'string', enum: ['on'], description: 'Somebody was asked before, where that is wanted.' }
};

/**
 * A form as JSON Schema: everything that can be written in a form can be written in JSON. A field that holds a document is
 * described by what the document holds, for it may be sent as it is.
 */
export function formSchema(schema: object | null): Described {
	if (schema === null) return { type: 'object', properties: BESIDE };
	const [first, ...others] = closedForms(schema);
	return others.length === 0 ? first! : { type: 'object', anyOf: [first, ...others] };
}

/** The fields that a form takes; null where it takes any. An act has the same each time it is called. */
export function fieldsTaken(schema: object | null): ReadonlySet<string> | null {
	if (schema === null) return null;
	if (!TAKEN.has(schema)) TAKEN.set(schema, readTaken(schema));
	return TAKEN.get(schema)!;
}
const TAKEN = new WeakMap<object, ReadonlySet<string> | null>();
function readTaken(schema: object): ReadonlySet<string> | null {
	const forms = closedForms(schema);
	return forms.every(({ additionalProperties }) => additionalProperties === false)
		? new Set(forms.flatMap(({ properties }) => Object.keys(properties as object)))
		: null;
}

/** The forms of which one is sent. Each takes what it describes and nothing else: a name that is written wrong is told, not passed over. */
const closedForms = (schema: object): Described[] =>
	formsIn(schema)
		.map(described)
		.flatMap(alternatives)
		.map((form) => ({
			...{ type: 'object', additionalProperties: false },
			...form,
			properties: { ...(form.properties as object), ...BESIDE }
		}));

/** What is composed of others, as the objects that it can be. */
function alternatives({ allOf = [], anyOf, oneOf, ...own }: Described): Described[] {
	const parts = [...(allOf as Described[]).map((part) => [part]), anyOf ?? [], oneOf ?? []] as Described[][];
	return parts
		.filter((choices) => choices.length > 0)
		.reduce<Described[]>(
			(forms, choices) =>
				forms.flatMap((form) => choices.flatMap(alternatives).map((other) => together(form, other))),
			[own]
		);
}
const together = (one: Described, other: Described): Described => ({
	...one,
	...other,
	required: [...((one.required ?? []) as string[]), ...((other.required ?? []) as string[])],
	properties: { ...(one.properties as object), ...(other.properties as object) }
});

/** The fields of a form that hold a document. */
export const documentFields = (schema: object | null): ReadonlySet<string> =>
	new Set(schema === null ? [] : formsIn(schema).flatMap(allDocumentsOf));

const allDocumentsOf = (schema: object): string[] =>
	'options' in schema && Array.isArray(schema.options)
		? schema.options.flatMap((one) => (typeof one === 'object' && one !== null ? allDocumentsOf(one) : []))
		: documentsOf(schema).map(([name]) => name);

/** The fields of an object that hold a document, each with what that holds. */
const documentsOf = (schema: object): [name: string, document: GenericSchema][] =>
	Object.entries('entries' in schema ? (schema.entries as Record<string, object>) : {}).flatMap(
		([name, entry]) => {
			const document = documentIn(entry);
			return document ? [[name, document]] : [];
		}
	);

function described(schema: GenericSchema): Described {
	const { $defs, ...made } = toJsonSchema(schema, {
		errorMode: 'ignore',
		typeMode: 'input',
		overrideSchema: ({ valibotSchema, jsonSchema }) => {
			if (valibotSchema.type === 'instance' || valibotSchema.type === 'file') return FILE;
			const documents = documentsOf(valibotSchema).map(([name, document]) => [name, described(document)]);
			if (documents.length === 0) return null;
			return { ...jsonSchema, properties: { ...jsonSchema.properties, ...Object.fromEntries(documents) } };
		}
	}) as Described;
	delete made.$schema;
	return inlined(made, ($defs ?? {}) as Described) as Described;
}

/** What a field’s document holds; null for any other field. */
function documentIn(field: object): GenericSchema | null {
	if ('wrapped' in field) return documentIn(field.wrapped as object);
	const [first, second] = 'pipe' in field ? (field.pipe as readonly object[]) : [];
	return first === jsonText && second ? (second as GenericSchema) : null;
}

/** Definitions in their places: a form stands by itself. One that holds itself is said once. */
function inlined(node: unknown, definitions: Described, within: readonly string[] = []): unknown {
	if (Array.isArray(node)) return node.map((one) => inlined(one, definitions, within));
	if (typeof node !== 'object' || node === null) return node;
	const { $ref, ...rest } = node as Described;
	const here = Object.fromEntries(
		Object.entries(rest).map(([name, value]) => [name, inlined(value, definitions, within)])
	);
	if (typeof $ref !== 'string') return here;
	if (within.includes($ref)) return { ...here, description: 'The same again.' };
	return {
		...(inlined(definitions[$ref.slice('#/$defs/'.length)], definitions, [...within, $ref]) as Described),
		...here
	};
}
