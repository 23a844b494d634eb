import type { Knex } from 'knex';
import { group } from 'd3';
import { v7 as uuid } from 'uuid';
import type { FollowChange, Following, PatternPlace } from '../../../../core/plan';
import type { Value, Values } from '../../../../core/profile';
import { refuse, type Refusal } from '../../act';
import { renderingSources, sealedValues } from '../../profile';
import { cableAsPattern } from '../cables';
import { tunnelAsPattern } from '../tunnels';
import { followByHand, type HandGiven } from '../pools/allotting';
import { gapAt } from '../positions';
import type { StoredPattern } from '../sites/standing-sites';

/** One site and what is to change there so that it follows. */
export interface FollowingSite {
	readonly siteId: string;
	readonly siteName: string;
	readonly following: Following;
}
type Shape = Pick<StoredPattern, 'customerId' | 'siteValues' | 'places'>;
type Of<Kind extends FollowChange['kind']> = Extract<FollowChange, { kind: Kind }>;

/**
 * Makes the changes by which sites come to be as a pattern says, all together. `patternId` ties the sites
 * to it; null copies once. Returns why not (then the transaction must not be kept), or null.
 */
export async function applyFollowing(
	trx: Knex,
	pattern: Shape,
	patternId: string | null,
	sites: readonly FollowingSite[]
): Promise<Refusal | null> {
	const all = sites.flatMap((site) => site.following.changes.map((change) => ({ site, change })));
	const ofKind = <Kind extends FollowChange['kind']>(kind: Kind) =>
		all.flatMap(({ site, change }) => (change.kind === kind ? [{ site, change: change as Of<Kind> }] : []));
	const stampOf = ({ profileId, values }: PatternPlace) => (patternId ? { profileId, values } : null);

	const removed = ofKind('remove').map(({ change }) => change.position.id);
	if (removed.length > 0) await trx('position').whereIn('id', removed).delete();
	await trx.raw(
		`insert into position (id, site_id, customer_id, name, role_id, profile_id, values, pattern_position_id, stamped)
		select id, site, ?, name, role, profile, values, place, stamped
		from jsonb_to_recordset(?::jsonb) as p(id uuid, site uuid, name text, role text, profile uuid, values jsonb, place uuid, stamped jsonb)`,
		[
			pattern.customerId,
			JSON.stringify(
				ofKind('add').map(({ site, change: { place } }) => ({
					id: uuid(),
					site: site.siteId,
					name: place.name,
					role: place.roleId,
					profile: place.profileId,
					values: place.values,
					place: patternId && place.id,
					stamped: stampOf(place)
				}))
			)
		]
	);
	await trx.raw(
		`update position set values = a.values || position.values, pattern_position_id = coalesce(a.place, pattern_position_id),
			stamped = coalesce(a.stamped, position.stamped)
		from jsonb_to_recordset(?::jsonb) as a(id uuid, place uuid, values jsonb, stamped jsonb) where position.id = a.id`,
		[
			JSON.stringify(
				ofKind('adopt').map(({ change: { place, position } }) => ({
					id: position.id,
					place: patternId && place.id,
					values: place.values,
					stamped: stampOf(place)
				}))
			)
		]
	);
	const renamed = ofKind('rename').map(({ change }) => ({ id: change.position.id, name: change.to }));
	const moved = ofKind('profile').map(({ change }) => ({ id: change.position.id, profile: change.to }));
	await trx.raw(
		`update position set name = r.name from jsonb_to_recordset(?::jsonb) as r(id uuid, name text) where position.id = r.id`,
		[JSON.stringify(renamed)]
	);
	await trx.raw(
		`update position set profile_id = m.profile from jsonb_to_recordset(?::jsonb) as m(id uuid, profile uuid) where position.id = m.id`,
		[JSON.stringify(moved)]
	);
	const given = valuesGiven(sites);
	await giveValues(trx, given);
	if (patternId) {
		await restamp(trx, pattern, patternId, sites);
		const ids = sites.map(({ siteId }) => siteId);
		await cableAsPattern(trx, patternId, ids);
		const tunnels = await tunnelAsPattern(trx, patternId, ids);
		if (!tunnels.ok) return tunnels;
	}
	return (await notServed(trx, moved)) ?? (await poolsRefuse(trx, pattern.customerId, given));
}

/** Values for sites and positions, as a change gives or takes them away. */
export interface GivenValue {
	readonly scope: 'site' | 'position';
	readonly holder: string;
	readonly at: string;
	readonly field: string;
	readonly value: Value | null;
}

const valuesGiven = (sites: readonly FollowingSite[]): readonly GivenValue[] =>
	sites.flatMap(({ siteId, siteName, following }) =>
		following.changes.flatMap((change): GivenValue[] =>
			change.kind === 'value'
				? [
						{
							scope: change.position ? 'position' : 'site',
							holder: change.position?.id ?? siteId,
							at: change.position ? `${siteName} ${change.position.name}` : siteName,
							field: change.field,
							value: change.to
						}
					]
				: []
		)
	);

/** Writes values, secrets sealed; those that are null are taken away. */
export async function giveValues(trx: Knex, given: readonly GivenValue[]): Promise<void> {
	for (const scope of ['site', 'position'] as const) {
		const byHolder = group(
			given.filter((one) => one.scope === scope),
			({ holder }) => holder
		);
		const rows = [];
		for (const [id, own] of byHolder) {
			const values: Values = Object.fromEntries(
				own.flatMap(({ field, value }) => (value === null ? [] : [[field, value]]))
			);
			rows.push({
				id,
				gone: own.flatMap(({ field, value }) => (value === null ? [field] : [])),
				given: await sealedValues(trx, values)
			});
		}
		if (rows.length === 0) continue;
		await trx.raw(
			`update ${scope} set values = (${scope}.values - array(select jsonb_array_elements_text(w.gone))) || w.given
			from jsonb_to_recordset(?::jsonb) as w(id uuid, gone jsonb, given jsonb) where ${scope}.id = w.id`,
			[JSON.stringify(rows)]
		);
	}
}

/** What the pattern gives now is what it gave: the next comparison begins from here. */
async function restamp(trx: Knex, pattern: Shape, patternId: string, sites: readonly FollowingSite[]) {
	const ids = sites.map(({ siteId }) => siteId);
	await trx('site')
		.whereIn('id', ids)
		.update({ pattern_id: patternId, stamped: JSON.stringify(pattern.siteValues) });
	await trx.raw(
		`update position set stamped = jsonb_build_object('profileId', p."profileId", 'values', p.values)
		from jsonb_to_recordset(?::jsonb) as p(id uuid, "profileId" uuid, values jsonb)
		where position.pattern_position_id = p.id and position.site_id = any (?::uuid[])`,
		[JSON.stringify(pattern.places), ids]
	);
}

async function notServed(trx: Knex, moved: readonly { readonly id: string }[]): Promise<Refusal | null> {
	if (moved.length === 0) return null;
	const sources = await renderingSources(
		trx,
		moved.map(({ id }) => id)
	);
	for (const source of sources.values()) {
		const gap = gapAt(source);
		if (gap) return refuse(`${gap} at ${source.siteName} ${source.positionName}. Nothing was changed.`);
	}
	return null;
}

/** Lets the customer's pools follow what was given. */
export async function poolsRefuse(
	trx: Knex,
	customerId: string,
	given: readonly GivenValue[]
): Promise<Refusal | null> {
	const hand = given.map(({ field, scope, holder, value }): HandGiven => ({
		customerId,
		field,
		scope,
		holder,
		value
	}));
	const [first] = await followByHand(trx, hand);
	return first
		? refuse(`${given[first[0]]!.at}, ${given[first[0]]!.field}: ${first[1]} Nothing was changed.`)
		: null;
}
