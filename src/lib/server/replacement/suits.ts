import { database } from '../database';
import { renderingSources, renderManyApart, strandingAt } from '../profile';

/**
 * What of each position does not match a model: its role, its planned cables, what its profile makes of it, and whether it would
 * strand the unit. By position, those with something alone.
 */
export async function mismatchesOf(
	positionIds: readonly string[],
	modelId: string
): Promise<ReadonlyMap<string, readonly string[]>> {
	const found = new Map<string, string[]>();
	const add = (position: string, words: string) =>
		void found.set(position, [...(found.get(position) ?? []), words]);
	for (const { position, words } of await byRoleAndCables(positionIds, modelId)) add(position, words);
	const sources = [...(await renderingSources(database(), positionIds, { modelId })).values()];
	const rendered = await renderManyApart(sources);
	for (const [at, source] of sources.entries()) {
		const rendering = rendered[at]!;
		if (!rendering.ok)
			for (const { piece, message } of rendering.problems.slice(0, MOST_PROBLEMS))
				add(source.positionId, piece ? `“${piece}”: ${message}` : message);
		else for (const words of strandingAt(source, rendering)) add(source.positionId, words);
	}
	return found;
}
const MOST_PROBLEMS = 10;

async function byRoleAndCables(
	positionIds: readonly string[],
	modelId: string
): Promise<readonly { readonly position: string; readonly words: string }[]> {
	const { rows } = await database().raw(
		`select position.id as position, 'A ' || model.name || ' cannot serve as ' || role.name || '.' as words
		from position join role on role.id = position.role_id cross join model
		where position.id = any (:positions::uuid[]) and model.id = :model
			and not exists (select from model_role where model_role.model_id = model.id and model_role.role_id = position.role_id)
		union all
		select cabled.position, 'A ' || model.name || ' has no port “' || cabled.port || '”, which a cable is planned for.'
		from model cross join lateral (
			select near_position as position, near_port as port from cable where near_position = any (:positions::uuid[])
			union select far_position, far_port from cable where far_position = any (:positions::uuid[])
		) cabled where model.id = :model and not jsonb_exists(model.ports, cabled.port)`,
		{ positions: [...positionIds], model: modelId }
	);
	return rows;
}
