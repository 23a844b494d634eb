import type { Place } from '../../../core/drift';
import { resolveValues, writeValue } from '../../../core/profile';
import { allSecretsAt, pathNames, type RenderingSource } from '../profile';

/** Nothing is known of it. */
export const NOWHERE: Place = { grammar: null, names: {}, own: {}, secrets: { values: [] } };
/** What is known of the place of a unit, for saying what a difference means there. */
export async function placeAt(source: RenderingSource): Promise<Place> {
	const secrets = await allSecretsAt(source);
	const own = Object.entries(resolveValues(source.scoped)).flatMap(([name, value]) =>
		secrets.names.has(name) || typeof value === 'object' ? [] : [[name, writeValue(value)] as const]
	);
	return {
		grammar: source.model?.grammar ?? null,
		names: pathNames(source),
		own: {
			...Object.fromEntries(own),
			'site.name': source.siteName,
			'position.name': source.positionName
		},
		secrets
	};
}
