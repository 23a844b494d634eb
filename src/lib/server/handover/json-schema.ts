import { toJsonSchema } from '@valibot/to-json-schema';
import { handoverSchema } from '../../../core/handover';

/** The form of a handover's record as JSON Schema (draft 7), made from the schema that it is written by. */
export const handoverJsonSchema = (): string =>
	`${JSON.stringify({ title: 'A handover by Limen', ...toJsonSchema(handoverSchema, { errorMode: 'ignore' }) }, null, '\t')}\n`;
