import * as v from 'valibot';
import { LIFE_KINDS_IN_ORDER } from '../../../core/life';

const schema = v.object({
	kind: v.fallback(v.nullable(v.picklist(LIFE_KINDS_IN_ORDER)), null),
	before: v.fallback(
		v.nullable(
			v.pipe(
				v.string(),
				v.isoTimestamp(),
				v.transform((text) => new Date(text))
			)
		),
		null
	)
});
/** Of which kind, and before when, an address asks a unit's life. */
export const lifeAsked = (search: URLSearchParams) =>
	v.parse(schema, { kind: search.get('kind'), before: search.get('before') });
