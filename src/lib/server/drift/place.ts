import type { Place } from '../../../core/drift';
import { NOTHING_UNSHOWN, resolveValues, writeValue, type Value } from '../../../core/profile';
import { allSecretsAt, pathNames, type RenderingSource } from '../profile';

/** Nothing is known of it. */
export const NOWHERE: Place = { grammar: null, names: {}, own: {}, particular: [], secrets: NOTHING_UNSHOWN };
/** What is known of the place of a unit, for saying what a difference means there. */
export async function placeAt(source: RenderingSource): Promise<Place> {
	const secrets = await allSecretsAt(source);
	const { site = {}, position = {} } = source.scoped;
	const own = Object.entries(resolveValues(source.scoped)).flatMap(([name, value]) =>
		secrets.names.has(name) || typeof value === 'object' ? [] : [[name, writeValue(value)] as const]
	);
	const particular = Object.entries({ ...site, ...position }).flatMap(([name, value]) =>
		secrets.names.has(name) ? [] : textsOf(value)
	);
	return {
		grammar: source.model?.grammar ?? null,
		names: pathNames(source),
		own: {
			...Object.fromEntries(own),
			'site.name': source.siteName,
			'position.name': source.positionName
		},
		particular: [...new Set([...particular, source.siteName, source.positionName])].filter(
			(text) => text !== ''
		),
		secrets
	};
}

/** A value as it stands in texts; of a list or table, each of its pieces. */
const textsOf = (value: Value): readonly string[] =>
	typeof value === 'object'
		? Object.values(value).flatMap((piece) => textsOf(piece as Value))
		: [writeValue(value)];
