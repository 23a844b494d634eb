import type { Knex } from 'knex';
import { positionHere } from '../../../core/connector';
import { refuse, type Act } from '../act';
import type { Actor } from '../ledger';
import { addPositionIn, followProfileIn } from '../plan';
import { opened } from '../profile';
import type { StatedConnector } from './state';
import { saveAll, type AsThere, type Cells } from './take-sites';

const OWN = ['site', 'position', 'profile'];
const valuesOf = (positionId: string, cells: Cells) =>
	Object.entries(cells)
		.filter(([what]) => !OWN.includes(what))
		.map(([field, now]) => ({ positionId, field, target: 'position' as const, now }));

/** A position that the source has anew, with its values. */
export async function makePosition(
	trx: Knex,
	{ customer_id }: StatedConnector,
	cells: Cells,
	actor: Actor
): Promise<Act<{ id: string }>> {
	const site = await trx('site').where({ customer_id, name: cells.site! }).first('id');
	if (!site) return refuse(`There is no site “${cells.site}” any more.`);
	const profile = await trx('profile').where({ name: cells.profile! }).whereNull('retired_at').first('id');
	if (!profile) return refuse(`There is no profile “${cells.profile}” any more.`);
	const added = await addPositionIn(trx, site.id, cells.position!, profile.id, actor);
	if (!added.ok) return added;
	const saved = await saveAll(trx, valuesOf(added.done.id, cells), actor);
	return saved.ok ? added : saved;
}

/** Changes a position to what its source says. Refused: where it is not as it was compared any more, and moving it elsewhere. */
export async function changePosition(
	trx: Knex,
	{ id, differences, meanwhile }: AsThere,
	actor: Actor
): Promise<Act> {
	const standing = await trx('position')
		.join('site', 'site.id', 'site_id')
		.join('profile', 'profile.id', 'profile_id')
		.where('position.id', id)
		.forUpdate('position')
		.first('position.id', 'site.name as site', 'position.name', 'profile.name as profile', 'position.values');
	if (!standing) return refuse('It was removed here since it was compared.');
	const { cells } = positionHere({ ...standing, values: opened(standing.values) });
	if (differences.some(({ what, here }) => (cells[what] ?? '') !== here)) return refuse(meanwhile);
	const there = Object.fromEntries(differences.map(({ what, there: now }) => [what, now]));
	if ('site' in there || 'position' in there)
		return refuse('A position is not moved or renamed by a connector: its unit and its history are here.');
	if (there.profile !== undefined) {
		const profile = await trx('profile').where({ name: there.profile }).whereNull('retired_at').first('id');
		if (!profile) return refuse(`There is no profile “${there.profile}” any more.`);
		const followed = await followProfileIn(trx, id, profile.id, actor);
		if (!followed.ok) return followed;
	}
	return saveAll(trx, valuesOf(id, there), actor);
}
