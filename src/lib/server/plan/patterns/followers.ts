import type { Knex } from 'knex';
import { following, isCopyable, type Following } from '../../../../core/plan';
import type { Field, Values } from '../../../../core/profile';
import { counted } from '../../../../core/text';
import { done, refuse, type Act } from '../../act';
import { changing, TakenBack } from '../../change';
import { database } from '../../database';
import { enterInLedger, type Actor } from '../../ledger';
import { notify } from '../../live';
import { decidedCables } from '../cables';
import { applyFollowing } from './follow';
import { NOT_PLANNED_BY_YOU, pooledFields } from './patterns';
import { sheetColumns } from '../sheet/sheet';
import { patternById, standingSites, type SiteAndPattern, type StoredPattern } from '../sites/standing-sites';

/** Sites that follow a pattern, and sites that get their set-up from another: what would change at each, and letting it. */
export interface Follower {
	readonly siteId: string;
	readonly siteName: string;
	readonly following: Following;
}
const followerOf =
	(pattern: StoredPattern) =>
	(site: SiteAndPattern): Follower => ({
		siteId: site.id,
		siteName: site.facts.name,
		following: following(pattern, site)
	});

/** The sites stamped from a pattern, each with what is to change so that it follows, and what stays its own. */
export async function followersOf(pattern: StoredPattern): Promise<readonly Follower[]> {
	const sites = await standingSites(database(), (query) => query.where('pattern_id', pattern.id));
	return sites.map(followerOf(pattern));
}

/** Lets some of a pattern's sites follow it as it is now. Sends nothing to any unit. */
export async function letFollow(
	patternId: string,
	siteIds: readonly string[],
	actor: Actor
): Promise<Act<{ sites: number; changes: number }>> {
	return changing(async (trx) => {
		const pattern = await patternById(trx, patternId);
		if (!pattern) return refuse('There is no such pattern any more.');
		if (!actor.may('plan sites', pattern.customerId)) return refuse(NOT_PLANNED_BY_YOU);
		const sites = await standingSites(trx, (query) =>
			query
				.where('pattern_id', patternId)
				.whereIn('site.id', [...siteIds])
				.forUpdate('site')
		);
		const followers = sites
			.map(followerOf(pattern))
			.filter((follower) => follower.following.changes.length > 0);
		if (followers.length === 0) return refuse('None of these sites has anything to follow.');
		const refusal = await applyFollowing(trx, pattern, patternId, followers);
		if (refusal) throw new TakenBack(refusal);
		const changes = followers.reduce((sum, one) => sum + one.following.changes.length, 0);
		await notify(trx, 'plan', pattern.customerId);
		await enterInLedger(trx, actor, [
			{
				act: 'follow pattern',
				customerId: pattern.customerId,
				subjectKind: 'pattern',
				subjectId: patternId,
				words: `${counted(followers.length, 'site follows', 'sites follow')} pattern “${pattern.name}”: ${counted(changes, 'change')}.`,
				detail: { sites: followers.map(({ siteName }) => siteName) }
			}
		]);
		return done({ sites: followers.length, changes });
	});
}

/** A pattern as a site is now, to be looked over and saved; without what is particular to the site. */
export async function patternFromSite(
	siteId: string,
	knex: Knex = database()
): Promise<Omit<StoredPattern, 'id' | 'edit'> | null> {
	const [site] = await standingSites(knex, (query) => query.where('site.id', siteId));
	if (!site) return null;
	const pooled = await pooledFields(knex, site.customerId);
	const names = new Map<string, string>(
		(await knex('profile').select('id', 'name')).map((row) => [row.id, row.name])
	);
	const copied = (values: Values, fields: readonly Field[]) =>
		Object.fromEntries(
			fields.flatMap((field) =>
				values[field.name] !== undefined && isCopyable(field, pooled)
					? [[field.name, values[field.name]!]]
					: []
			)
		);
	const leads = new Map<string, string>(
		(
			await knex('tunnel').whereIn(
				'near_position',
				site.places.map((place) => place.id)
			)
		).map((tunnel) => [tunnel.near_position, tunnel.far_position])
	);
	const siteFields: Field[] = [];
	const places = [];
	for (const place of site.places) {
		const fields = (await sheetColumns({ profileId: place.profileId, all: true }, knex)).map(
			({ field }) => field
		);
		for (const field of fields) siteFields.push(field);
		places.push({
			id: place.id,
			name: place.name,
			roleId: place.roleId,
			profileId: place.profileId,
			profileName: names.get(place.profileId) ?? '',
			tunnelTo: leads.get(place.id) ?? null,
			values: copied(place.values, fields)
		});
	}
	return {
		customerId: site.customerId,
		name: '',
		note: '',
		siteValues: copied(site.values, siteFields),
		places,
		cables: await decidedCables(siteId, knex)
	};
}

/** What copying a site's set-up to others of its customer would do to each. */
export async function comparedWith(
	knex: Knex,
	siteId: string,
	others: readonly string[]
): Promise<readonly Follower[]> {
	const source = await patternFromSite(siteId, knex);
	if (!source) return [];
	const sites = await standingSites(knex, (query) =>
		query
			.whereIn('site.id', [...others])
			.where('site.customer_id', source.customerId)
			.whereNot('site.id', siteId)
	);
	return sites.map(followerOf({ ...source, id: siteId, edit: 0 }));
}

/**
 * Copies a site's positions, profiles and common values to other sites of its customer. What these have
 * already stays; what is particular to one site (addresses, names, secrets, what pools give) is not copied.
 */
export async function copySetUp(
	siteId: string,
	others: readonly string[],
	actor: Actor
): Promise<Act<{ sites: number; changes: number }>> {
	return changing(async (trx) => {
		const source = await patternFromSite(siteId, trx);
		if (!source) return refuse('There is no such site.');
		if (!actor.may('plan sites', source.customerId)) return refuse(NOT_PLANNED_BY_YOU);
		await trx('site')
			.whereIn('id', [...others])
			.forUpdate()
			.select('id');
		const compared = (await comparedWith(trx, siteId, others)).map((one) => ({
			...one,
			following: { ...one.following, changes: one.following.changes.filter(addsSomething) }
		}));
		const changes = compared.reduce((sum, one) => sum + one.following.changes.length, 0);
		if (changes === 0) return refuse('These sites have all of it already.');
		const refusal = await applyFollowing(trx, source, null, compared);
		if (refusal) throw new TakenBack(refusal);
		await notify(trx, 'plan', source.customerId);
		await enterInLedger(
			trx,
			actor,
			compared.map((one) => ({
				act: 'copy set-up',
				customerId: source.customerId,
				subjectKind: 'site' as const,
				subjectId: one.siteId,
				words: `${one.siteName} got its set-up from another site: ${counted(one.following.changes.length, 'change')}.`,
				detail: { from: siteId }
			}))
		);
		return done({ sites: compared.length, changes });
	});
}
/** Copying never takes a position away. */
const addsSomething = ({ kind }: Following['changes'][number]) => kind !== 'remove';
