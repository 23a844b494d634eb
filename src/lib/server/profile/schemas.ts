import * as v from 'valibot';
import { DIALECTS, type Dialect } from '../../../core/config';
import { checkText, fileKey, LARGEST_PROFILE_TEXT, nameProblem } from '../../../core/profile';

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
/** What stands under another name would be lost without a word. */
const perDialect = <Schema extends v.GenericSchema>(schema: Schema) =>
	v.partial(
		v.strictObject(
			Object.fromEntries(DIALECTS.map((dialect) => [dialect, schema])) as Record<Dialect, Schema>,
			`Texts stand under the name of their dialect: ${DIALECTS.join(', ')}.`
		)
	);
export const textsSchema = perDialect(textSchema);
export const draftTextsSchema = perDialect(draftTextSchema);
export const scriptsSchema = perDialect(
	v.object({ before: v.optional(draftTextSchema), after: v.optional(draftTextSchema) })
);
const FILE_NAME = /^[A-Za-z0-9][A-Za-z0-9._-]{0,63}$/;
export const filesSchema = v.pipe(
	v.array(
		v.object({
			name: v.pipe(
				v.string(),
				v.regex(FILE_NAME, 'A file’s name has letters, digits and “._-”, 64 at most.')
			),
			text: v.pipe(draftTextSchema, v.maxLength(65_536, 'A file has 65,536 characters at most.'))
		})
	),
	v.maxLength(10, 'A profile has 10 files at most.'),
	v.check(
		(files) => new Set(files.map(({ name }) => fileKey(name))).size === files.length,
		'Two files have the same name, or names that texts cannot tell apart.'
	)
);
const commandSchema = v.pipe(
	v.string(),
	v.trim(),
	v.minLength(1, 'A check asks something.'),
	v.maxLength(500, 'A command has 500 characters at most.'),
	v.check((text) => !/[\n\r\0]/.test(text), 'A command is one line.')
);
export const checksSchema = v.pipe(
	v.array(
		v.object({
			name: thingName,
			asks: v.pipe(
				perDialect(
					v.object({
						command: commandSchema,
						expects: v.picklist(['words', 'none of them']),
						words: v.pipe(
							v.string(),
							v.trim(),
							v.minLength(1, 'A check names the words it looks for.'),
							v.maxLength(500, 'The words of a check have 500 characters at most.')
						)
					})
				),
				v.check((asks) => Object.keys(asks).length > 0, 'A check asks something in some dialect.')
			)
		})
	),
	v.maxLength(20, 'A profile has 20 checks at most.'),
	v.check(
		(checks) => new Set(checks.map(({ name }) => name.toLowerCase())).size === checks.length,
		'Two checks have the same name.'
	)
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
