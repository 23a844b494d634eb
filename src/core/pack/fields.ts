import * as v from 'valibot';
import { patternSchema } from '../pattern';

/** What the fields of a pack are made of. */
export const about = <Schema extends v.GenericSchema>(schema: Schema, words: string) =>
	v.pipe(schema, v.description(words));
export const slug = v.pipe(
	v.string(),
	v.regex(/^[a-z][a-z0-9-]{0,40}$/, 'Small letters, digits and “-”, a letter first.')
);
export const name = v.pipe(v.string(), v.trim(), v.minLength(1), v.maxLength(120));
export const words = (most: number) => v.pipe(v.string(), v.minLength(1), v.maxLength(most));
export const pattern = v.pipe(patternSchema, v.minLength(1));
export const patterns = v.optional(v.pipe(v.array(pattern), v.maxLength(50)), []);
export const command = v.pipe(v.string(), v.minLength(1), v.maxLength(4000));
export const seconds = (most: number) => v.pipe(v.number(), v.minValue(0.1), v.maxValue(most));

export const share = v.pipe(v.number(), v.minValue(0.01), v.maxValue(1000));

export const VERSION = v.pipe(v.string(), v.regex(/^[0-9A-Za-z.+_-]{1,64}$/, 'A version has no blanks.'));
