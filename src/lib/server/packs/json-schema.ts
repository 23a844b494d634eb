import { toJsonSchema } from '@valibot/to-json-schema';
import { packSchema } from '../../../core/pack';

/**
 * The form of a pack as JSON Schema (draft 7), made from the schema that packs are read by. What only Limen checks
 * (patterns, names that lead somewhere) is not in it.
 */
export const packJsonSchema = (): string =>
	`${JSON.stringify({ title: 'A maker’s pack for Limen', ...toJsonSchema(packSchema, { errorMode: 'ignore' }) }, null, '\t')}\n`;
