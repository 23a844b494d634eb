import type { Knex } from 'knex';
import { overlap, parsePrefix, printPrefix } from '../../../core/address';
import { OWN_FIELD } from '../../../core/plan';
import type { Value } from '../../../core/profile';
import { rehearsalWords, type Doubled, type Rehearsal } from '../../../core/watch';
import { done, refuse, type Act } from '../act';
import { apartFromTransaction, database } from '../database';
import { beginLongWork, onLongWork } from '../jobs';
import { unseal } from '../keys';
import type { Actor } from '../ledger';
import { tryStamping, type Stamping, type StampOutcome } from '../plan';
import { renderingSources, type RenderingSource, type SourceChoice } from '../profile';
import { proofPlans } from '../proof';
import { GivenUp, offMainThread, task } from '../threads';
import { Knowledge, TIMED_STEPS } from './knowledge';
import type { SiteSource, ToRehearse, TwinSource } from './twins';

/** A site’s rehearsal, and what it saw: all of it as it stood at one moment. */
export interface SiteRehearsal extends Rehearsal {
	readonly siteId: string;
	readonly siteName: string;
	readonly saw: {
		readonly at: Date;
		readonly revisions: readonly {
			readonly profile: string;
			readonly number: number;
			readonly isDraft: boolean;
		}[];
	};
}

const REHEARSE = task<ToRehearse, readonly Rehearsal[]>('rehearse');
const LONGEST_MS = 20_000;

/**
 * Computes what would come of some sites, before anything happens; nothing is kept. `choice`: drafts instead of what is
 * released. Sites that are not there, or that whoever asks may not see, are left out. Rejects where it takes too long.
 */
export async function rehearseSites(
	siteIds: readonly string[],
	choice: SourceChoice = {}
): Promise<readonly SiteRehearsal[]> {
	const knowledge = await Knowledge.read();
	const gathered = await database().transaction((trx) => gatherSites(trx, siteIds, knowledge, choice), {
		isolationLevel: 'repeatable read',
		readOnly: true
	});
	return rehearseGathered(gathered);
}

/** The same of what was gathered before, such as in a transaction that was taken back. */
export async function rehearseGathered(gathered: ToRehearse): Promise<readonly SiteRehearsal[]> {
	const at = new Date();
	const all = await offMainThread(REHEARSE, gathered, LONGEST_MS);
	return gathered.sites.map(({ id, name, positions }, index) => ({
		...all[index]!,
		siteId: id,
		siteName: name,
		saw: { at, revisions: revisionsOf(positions) }
	}));
}

function revisionsOf(positions: readonly TwinSource[]): SiteRehearsal['saw']['revisions'] {
	const revisions = positions.flatMap(({ source: { revision } }) => revision ?? []);
	return [...new Map(revisions.map((one) => [one.id, one])).values()].map((one) => ({
		profile: one.profileName,
		number: one.number,
		isDraft: one.state === 'draft'
	}));
}

interface PositionRow {
	readonly id: string;
	readonly siteId: string;
	readonly siteName: string;
	readonly unit: TwinSource['unit'];
	readonly version: string | null;
	readonly modelId: string | null;
	/** Sealed. */
	readonly given: string | null;
}

/** Positions, what stands there, and what those that are online were given last. */
async function positionRows(
	knex: Knex,
	where: 'site' | 'position',
	ids: readonly string[]
): Promise<readonly PositionRow[]> {
	const { rows } = await knex.raw(
		`select position.id, site.id as "siteId", site.name as "siteName", unit.model_id as "modelId", coalesce(reported_version, delivered_version) as version,
			case when unit.id is not null then jsonb_build_object('id', unit.id, 'serial', unit.serial) end as unit,
			case when stands.standing = 'online' then (
				select rendering from served where served.position_id = position.id and served.unit_id = unit.id order by at desc limit 1
			) end as given
		from position join site on site.id = position.site_id join position_standing stands on stands.position_id = position.id
		left join binding on binding.position_id = position.id left join unit on unit.id = binding.unit_id
		where ${where}.id = any (?::uuid[]) order by site.name, position.name`,
		[[...ids]]
	);
	return rows;
}

/** Reads all that the rehearsals of some sites are computed from. Asks no right of its own: the walls say what is seen. */
export async function gatherSites(
	knex: Knex,
	siteIds: readonly string[],
	knowledge: Knowledge,
	choice: SourceChoice = {}
): Promise<ToRehearse> {
	const rows = await positionRows(knex, 'site', siteIds);
	const sources = await renderingSources(
		knex,
		rows.map(({ id }) => id),
		choice
	);
	const plans = await proofPlans(knex, siteIds, sources);
	const ids = rows.map(({ id }) => id);
	const ends = await farEnds(knex, ids);
	const isOwn = new Set(ids);
	const twice = await networksTwice(knex, ids);
	const further = [
		...[...plans.values()].flatMap(({ others }) => others),
		...twice.map(({ positionId }) => positionId)
	];
	const farRows = await positionRows(knex, 'position', [
		...new Set([...[...ends.values()].flat(), ...further])
	]);
	const farSources = await renderingSources(
		knex,
		farRows.flatMap(({ id }) => (isOwn.has(id) ? [] : [id]))
	);
	const far = new Map(
		farRows.flatMap(({ id, given }): [string, Pick<TwinSource, 'source' | 'runs'>][] => {
			const source = farSources.get(id) ?? sources.get(id);
			return source ? [[id, { source, runs: given === null ? null : unseal(given) }]] : [];
		})
	);
	const sites = [...plans].map(([id, { plan, cabling, others }]): SiteSource => {
		const own = rows.filter(({ siteId }) => siteId === id);
		const here = new Set(own.map((row) => row.id));
		const doubled = twice.filter(({ of }) => here.has(of));
		const reached = [
			...own.flatMap((row) => ends.get(row.id) ?? []),
			...others,
			...doubled.map(({ positionId }) => positionId)
		];
		return {
			id,
			name: own[0]?.siteName ?? '',
			positions: own.map((row) => twinSource(row, sources.get(row.id)!, knowledge)),
			plan,
			cabling,
			doubled,
			far: [...new Set(reached)].filter((one) => !here.has(one))
		};
	});
	return { sites, far };
}

function twinSource(row: PositionRow, source: RenderingSource, knowledge: Knowledge): TwinSource {
	const { unit, version, given } = row;
	const target = source.targetVersion ?? '';
	const alike = {
		modelId: row.modelId ?? source.model?.id ?? '',
		uplink: source.uplink.kind,
		version: version ?? '',
		target
	};
	return {
		source,
		unit,
		version,
		runs: given === null ? null : unseal(given),
		known: Object.fromEntries(
			TIMED_STEPS.map((step) => [step, knowledge.of(step, alike)])
		) as TwinSource['known']
	};
}

/** The positions at the other ends of tunnels, by their near ones. */
async function farEnds(
	knex: Knex,
	positionIds: readonly string[]
): Promise<ReadonlyMap<string, readonly string[]>> {
	const { rows } = await knex.raw(
		`select near_position as near, far_position as far from tunnel where near_position = any (:ids::uuid[])
		union select far_position, near_position from tunnel where far_position = any (:ids::uuid[])`,
		{ ids: [...positionIds] }
	);
	const found = new Map<string, string[]>();
	for (const { near, far } of rows as { near: string; far: string }[])
		found.set(near, [...(found.get(near) ?? []), far]);
	return found;
}

interface Twice extends Doubled {
	/** The position whose network it is, and that of the other site. */
	readonly of: string;
	readonly positionId: string;
}

/** Networks of these positions that other sites behind the same hubs have as well. */
async function networksTwice(knex: Knex, positionIds: readonly string[]): Promise<readonly Twice[]> {
	const { rows } = await knex.raw(
		`with reached as (
			select tunnel.near_position as id, tunnel.far_position as hub, site.id as "siteId", site.name as "siteName",
				coalesce(position.values -> :field, site.values -> :field) as networks
			from tunnel join position on position.id = tunnel.near_position join site on site.id = position.site_id
			where tunnel.far_position in (select far_position from tunnel where near_position = any (:ids::uuid[]))
		)
		select own.id as of, other.id as "positionId", other."siteId", other."siteName", own.networks as mine, other.networks as theirs
		from reached own join reached other on other.hub = own.hub and other."siteId" <> own."siteId"
		where own.id = any (:ids::uuid[]) and own.networks is not null and other.networks is not null`,
		{ field: OWN_FIELD, ids: [...positionIds] }
	);
	return (rows as (Omit<Twice, 'prefix'> & { mine: Value; theirs: Value })[]).flatMap(
		({ mine, theirs, ...one }) => {
			const prefix = prefixesIn(mine).find((own) => prefixesIn(theirs).some((other) => overlap(own, other)));
			return prefix ? [{ ...one, prefix: printPrefix(prefix) }] : [];
		}
	);
}
const prefixesIn = (value: Value) => [value].flat().flatMap((one) => parsePrefix(String(one)) ?? []);

const LONG_REHEARSAL = 'rehearse sites';

/** From now on rehearsals that were begun for many sites are done. */
export const startRehearsals = (): void =>
	onLongWork(LONG_REHEARSAL, async (_trx, { site, profile, revision }) => {
		const choice = profile && revision ? { revisions: new Map([[profile, revision]]) } : {};
		try {
			// It sees one moment of its own, whatever the work has read before
			const [rehearsal] = await apartFromTransaction(() => rehearseSites([site!], choice));
			if (!rehearsal) return refuse('The site is gone.');
			const words = rehearsalWords(rehearsal);
			return rehearsal.problems.length === 0 ? done(words) : refuse(words);
		} catch (error) {
			if (error instanceof GivenUp) return refuse(error.message);
			throw error;
		}
	});

/**
 * Rehearses many sites as long work, with a revision of a profile instead of the released one where that is given. Whoever
 * may see what units get may; sites of others are left out. Refused: nothing to do, more than 2,000.
 */
export async function rehearseMany(
	siteIds: readonly string[],
	actor: Actor,
	instead?: { readonly profileId: string; readonly revisionId: string; readonly title: string }
): Promise<Act<{ id: string; count: number }>> {
	if (siteIds.length > MOST_SITES) return refuse(`At most ${MOST_SITES} sites at one go.`);
	const all: { site: string; subject: string; customerId: string }[] = await database()('site')
		.whereIn('id', [...siteIds])
		.orderBy('name')
		.select('id as site', 'name as subject', 'customer_id as customerId');
	const sites = all.filter(({ customerId }) => actor.may('see renderings', customerId));
	const revision = instead && { profile: instead.profileId, revision: instead.revisionId };
	const begun = await database().transaction((trx) =>
		beginLongWork(
			trx,
			{
				kind: LONG_REHEARSAL,
				title: instead?.title ?? 'Rehearse sites',
				things: sites.map(({ site, ...thing }) => ({ ...thing, about: { site, ...revision } }))
			},
			actor
		)
	);
	return begun.ok ? done({ ...begun.done, count: sites.length }) : begun;
}
const MOST_SITES = 2_000;

/**
 * Rehearses a profile's draft at the sites where units that follow it are still to come online, before it is released.
 * Engineers may. Refused: no draft; nothing to come.
 */
export async function rehearseDraft(
	profileId: string,
	actor: Actor
): Promise<Act<{ id: string; count: number }>> {
	if (!actor.may('edit profiles', null)) return refuse('Drafts are rehearsed by engineers.');
	const draft = await database()('profile_revision as r')
		.join('profile', 'profile.id', 'r.profile_id')
		.where({ profile_id: profileId, state: 'draft' })
		.first('r.id', 'profile.name');
	if (!draft) return refuse('There is no draft.');
	const sites: { id: string }[] = await database()('position')
		.join('position_standing as stands', 'stands.position_id', 'position.id')
		.where({ profile_id: profileId })
		.whereNot('standing', 'online')
		.distinct('position.site_id as id')
		.limit(MOST_SITES + 1);
	if (sites.length === 0)
		return refuse('Everything that follows this profile is online: nothing is to come.');
	return rehearseMany(
		sites.map(({ id }) => id),
		actor,
		{ profileId, revisionId: draft.id, title: `Rehearse the draft of ${draft.name}` }
	);
}

/** What stamping would do, and what would come of each new site then, by its name. Whoever may stamp may. */
export async function rehearseStamping(
	stamping: Stamping,
	actor: Actor
): Promise<Act<StampOutcome & { readonly rehearsals: Readonly<Record<string, ShortRehearsal>> }>> {
	const knowledge = await Knowledge.read();
	let gathered: ToRehearse | null = null;
	const tried = await tryStamping(stamping, actor, async (trx, siteIds) => {
		gathered = await gatherSites(trx, siteIds, knowledge);
	});
	if (!tried.ok) return tried;
	return done({ ...tried.done, rehearsals: gathered ? await shortly(gathered) : {} });
}

export interface ShortRehearsal {
	readonly words: string;
	readonly isClean: boolean;
}

async function shortly(gathered: ToRehearse): Promise<Readonly<Record<string, ShortRehearsal>>> {
	try {
		return Object.fromEntries(
			(await rehearseGathered(gathered)).map((one) => [
				one.siteName,
				{ words: rehearsalWords(one), isClean: one.problems.length === 0 }
			])
		);
	} catch (error) {
		if (error instanceof GivenUp) return {};
		throw error;
	}
}
