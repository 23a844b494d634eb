import * as v from 'valibot';
import { DIALECTS } from '../../../core/config';
import { checkText, LARGEST_PROFILE_TEXT, nameProblem } from '../../../core/profile';

/** What can be sent about parts and profiles, checked at the edge. */
export const thingName = v.pipe(
	v.string('Give it a name.'),
	v.trim(),
	v.minLength(1, 'Give it a name.'),
	v.maxLength(120, 'A name has 120 characters at most.'),
	v.rawCheck(({ dataset, addIssue }) => {
		const problem = dataset.typed ? nameProblem(dataset.value) : null;
		if (problem) addIssue({ message: problem });
	})
);

/** A text that may still be broken: a draft is kept as it is. */
export const draftTextSchema = v.pipe(
	v.string(),
	v.maxLength(
		LARGEST_PROFILE_TEXT,
		`A text has ${LARGEST_PROFILE_TEXT.toLocaleString('en')} characters at most.`
	),
	v.transform((text) => text.replace(/\r\n?/g, '\n')),
	v.check((text) => !text.includes('\0'), 'A text holds no NUL character.')
);
const textSchema = v.pipe(
	draftTextSchema,
	v.check((text) => checkText(text).length === 0, 'The text has a broken tag.')
);
const perDialect = <Schema extends v.GenericSchema>(schema: Schema) =>
	v.partial(v.object({ indented: schema, braced: schema, json: schema }));
export const textsSchema = perDialect(textSchema);
export const draftTextsSchema = perDialect(draftTextSchema);
export const scriptsSchema = perDialect(
	v.object({ before: v.optional(draftTextSchema), after: v.optional(draftTextSchema) })
);
export const dialectSchema = v.picklist(DIALECTS);

/** A form field that holds a document as JSON. */
export const jsonText = v.pipe(
	v.string(),
	v.maxLength(2_000_000),
	v.rawTransform(({ dataset, addIssue, NEVER }) => {
		try {
			return JSON.parse(dataset.value) as unknown;
		} catch {
			addIssue({ message: 'What was sent cannot be read.' });
			return NEVER;
		}
	})
);
