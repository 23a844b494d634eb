import type { Knex } from 'knex';
import { v7 as uuid } from 'uuid';
import { done, refuse, type Act } from '../act';
import { changing, TakenBack } from '../change';
import { database, isRefusal } from '../database';
import { enterInLedger, type Actor } from '../ledger';
import { notify } from '../live';
import { renderingSources, type RenderingSource } from '../profile';
import { NOT_PLANNED_BY_YOU } from './patterns/patterns';
import { standingSites } from './sites/standing-sites';

/** Plans one more position at a site. */
export async function addPosition(
	siteId: string,
	name: string,
	profileId: string,
	actor: Actor
): Promise<Act<{ id: string }>> {
	try {
		return await database().transaction((trx) => addPositionIn(trx, siteId, name, profileId, actor));
	} catch (error) {
		if (!isRefusal(error)) throw error;
		return refuse(`The site has a position “${name}” already.`);
	}
}

/** The same as part of another act; rejects, as the database does, when the site has one of that name. */
export async function addPositionIn(
	trx: Knex,
	siteId: string,
	name: string,
	profileId: string,
	actor: Actor
): Promise<Act<{ id: string }>> {
	const site = await trx('site').where({ id: siteId }).first('customer_id', 'name');
	if (!site) return refuse('There is no such site.');
	if (!actor.may('plan sites', site.customer_id)) return refuse(NOT_PLANNED_BY_YOU);
	const id = uuid();
	const { rowCount } = await trx.raw(
		`insert into position (id, site_id, customer_id, name, role_id, profile_id)
		select ?, ?, ?, ?, role_id, id from profile where id = ? and retired_at is null`,
		[id, siteId, site.customer_id, name, profileId]
	);
	if (rowCount === 0) return refuse('There is no such profile any more.');
	await notify(trx, 'plan', site.customer_id);
	await enterInLedger(trx, actor, [
		{
			act: 'plan position',
			customerId: site.customer_id,
			subjectKind: 'position',
			subjectId: id,
			words: `${name} was planned at ${site.name}.`
		}
	]);
	return done({ id });
}

/** Takes a position out of the plan, with its values. Refused where a unit is bound, or ever was: its history stays. */
export async function removePosition(positionId: string, actor: Actor): Promise<Act> {
	return changing(async (trx) => {
		const position = await trx('position')
			.join('site', 'site.id', 'site_id')
			.where('position.id', positionId)
			.forUpdate('position')
			.first('position.name', 'site.name as site', 'position.customer_id', 'position.site_id');
		if (!position) return refuse('This position is gone already.');
		if (!actor.may('plan sites', position.customer_id)) return refuse(NOT_PLANNED_BY_YOU);
		const [site] = await standingSites(trx, (query) => query.where('site.id', position.site_id));
		const place = site!.places.find(({ id }) => id === positionId)!;
		if (place.hasHistory)
			return refuse(`${position.name} has a unit or had one. Its history stays, and so does the position.`);
		await trx('position').where({ id: positionId }).delete();
		await notify(trx, 'plan', position.customer_id);
		await enterInLedger(trx, actor, [
			{
				act: 'remove position',
				customerId: position.customer_id,
				subjectKind: 'position',
				subjectId: positionId,
				words: `${position.name} was taken out of the plan of ${position.site}.`
			}
		]);
		return done(undefined);
	});
}

/**
 * Lets a position follow another profile of its role. Whoever may set values for the customer may do it.
 * Refused when the profile does not serve the unit that is bound there. Sends nothing.
 */
export const followProfile = (positionId: string, profileId: string, actor: Actor): Promise<Act> =>
	changing(
		(trx) => followProfileIn(trx, positionId, profileId, actor),
		{},
		'There is no such profile for a position of this role.'
	);

/** The same as part of another act; rejects, as the database does, when the profile is for another role. */
export async function followProfileIn(
	trx: Knex,
	positionId: string,
	profileId: string,
	actor: Actor
): Promise<Act> {
	await trx('position').where({ id: positionId }).forUpdate().first('id');
	const before = (await renderingSources(trx, [positionId])).get(positionId);
	if (!before) return refuse('There is no such position.');
	if (!actor.may('set values', before.customerId)) return refuse('You may not plan for this customer.');
	if (before.profileId === profileId) return refuse('It follows this profile already.');
	await trx('position').where({ id: positionId }).update({ profile_id: profileId });
	const after = (await renderingSources(trx, [positionId])).get(positionId)!;
	const gap = gapAt(after);
	if (gap) throw new TakenBack(refuse(`${gap} here.`));
	await notify(trx, 'plan', before.customerId);
	await enterInLedger(trx, actor, [
		{
			act: 'follow profile',
			customerId: before.customerId,
			subjectKind: 'position',
			subjectId: positionId,
			words: `${before.positionName} at ${before.siteName} follows “${after.profileName}” instead of “${before.profileName}”.`
		}
	]);
	return done(undefined);
}

/** Why a profile does not serve the unit that is bound at a position; null when it does, or none is bound. */
export function gapAt({ isBound, revision, model, uplinkGap }: RenderingSource): string | null {
	if (isBound && uplinkGap) return uplinkGap.replace(/\.$/, '');
	const gap = isBound && revision?.parts.find(({ texts }) => texts[model!.dialect] === undefined);
	return gap ? `“${gap.name}” has no text for the ${model!.name} that is bound` : null;
}
