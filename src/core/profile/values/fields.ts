import * as v from 'valibot';
import { readsOf } from '../text/render';
import { KNOWN_GROUPS } from '../text/language';
import { fieldNameSchema, SCOPES } from './values';
import { fieldTypeSchema } from './field-types';
import { readValue } from './reading';

export const NEEDS = ['required', 'recommended', 'optional'] as const;

/** A typed named hole in a part. */
export const fieldSchema = v.pipe(
	v.object({
		name: v.pipe(
			fieldNameSchema,
			v.check(
				(name) => !(KNOWN_GROUPS as readonly string[]).includes(name),
				'This name is kept for what Limen itself knows.'
			)
		),
		type: fieldTypeSchema,
		description: v.optional(v.pipe(v.string(), v.maxLength(500)), ''),
		example: v.optional(v.pipe(v.string(), v.maxLength(500)), ''),
		need: v.optional(v.picklist(NEEDS), 'required'),
		/** Used where nobody gives a value. */
		fallback: v.optional(v.pipe(v.string(), v.maxLength(4000))),
		/** Where people are expected to give it. */
		scope: v.optional(v.picklist(SCOPES), 'site'),
		/** An expression over other fields, which gives the value where nobody does. */
		formula: v.optional(v.pipe(v.string(), v.maxLength(500)))
	}),
	v.rawCheck(({ dataset, addIssue }) => {
		if (!dataset.typed) return;
		const { formula, fallback, type } = dataset.value;
		const reads = formula === undefined ? [] : readsOf(formula);
		if (!Array.isArray(reads))
			addIssue({ message: `The formula: ${(reads as { message: string }).message}` });
		const read = fallback === undefined ? null : readValue(type, fallback);
		if (read?.ok === false) addIssue({ message: `The value used otherwise: ${read.message}` });
		if (formula !== undefined && fallback !== undefined)
			addIssue({ message: 'A field has a formula or a value used otherwise, not both.' });
	})
);
export type Field = v.InferOutput<typeof fieldSchema>;
export const fieldsSchema = v.pipe(
	v.array(fieldSchema),
	v.maxLength(200, 'A part has 200 fields at most.'),
	v.check(
		(fields) => new Set(fields.map(({ name }) => name)).size === fields.length,
		'Two fields have the same name.'
	)
);
