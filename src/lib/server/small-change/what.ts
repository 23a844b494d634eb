import * as v from 'valibot';

const LONGEST_TEXT = 20_000;
const text = v.optional(v.pipe(v.string(), v.maxLength(LONGEST_TEXT, 'At most 20,000 characters.')), '');

/** What somebody wants to change at many positions: the value of a field, at each of them alone; or statements. */
export const whatSchema = v.variant('kind', [
	v.object({
		kind: v.literal('value'),
		field: v.pipe(v.string('Which field?'), v.minLength(1, 'Which field?'), v.maxLength(63)),
		/** As typed; empty takes it away. */
		value: v.optional(v.pipe(v.string(), v.maxLength(LONGEST_TEXT, 'At most 20,000 characters.')), '')
	}),
	v.pipe(
		v.object({ kind: v.literal('text'), comes: text, goes: text }),
		v.check(({ comes, goes }) => (comes + goes).trim() !== '', 'Say what comes or what goes.')
	)
]);
export type What = v.InferOutput<typeof whatSchema>;
