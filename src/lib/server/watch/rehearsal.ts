import { rehearsalWords, type Rehearsal } from '../../../core/watch';
import { done, refuse, type Act } from '../act';
import { apartFromTransaction, database, timeNow } from '../database';
import { beginLongWork, onLongWork } from '../jobs';
import type { Actor } from '../ledger';
import { tryStamping, type Stamping, type StampOutcome } from '../plan';
import type { SourceChoice } from '../profile';
import { GivenUp, offMainThread, task } from '../threads';
import { gatherSites } from './gather';
import { Knowledge } from './knowledge';
import type { ToRehearse, TwinSource } from './twins';

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
	const at = new Date(timeNow());
	const gathered = await database().transaction((trx) => gatherSites(trx, siteIds, knowledge, choice), {
		isolationLevel: 'repeatable read',
		readOnly: true
	});
	return rehearseGathered(gathered, at);
}

/** The same of what was gathered before, such as in a transaction that was taken back. */
async function rehearseGathered(gathered: ToRehearse, at: Date): Promise<readonly SiteRehearsal[]> {
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
			(await rehearseGathered(gathered, new Date(timeNow()))).map((one) => [
				one.siteName,
				{ words: rehearsalWords(one), isClean: one.problems.length === 0 }
			])
		);
	} catch (error) {
		if (error instanceof GivenUp) return {};
		throw error;
	}
}
