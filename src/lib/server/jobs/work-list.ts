import type { Progress } from '../../../core/long-work';
import { refuse, type Act } from '../act';
import { database } from '../database';
import type { Actor } from '../ledger';
import { notify } from '../live';

/** Long work as people see it: what is under way, what came of each thing, and stopping it. */
export interface LongWork extends Progress {
	readonly id: string;
	readonly title: string;
	readonly actor: string;
	readonly begunAt: Date;
	readonly endedAt: Date | null;
	readonly wantsCancel: boolean;
	readonly customerId: string | null;
}

const works = () =>
	database()('long_work').select(
		'id',
		'title',
		'actor',
		'begun_at as begunAt',
		'ended_at as endedAt',
		'state',
		'total',
		'done',
		'failed',
		'wants_cancel as wantsCancel',
		'customer_id as customerId'
	);

/** What somebody began and has not put away: it goes with them from page to page. */
export const ownWork = (personId: string): Promise<LongWork[]> =>
	works()
		.where({ person_id: personId, put_away: false })
		.whereRaw(`(state = 'under way' or ended_at > now() - interval '1 day')`)
		.orderBy('begun_at', 'desc')
		.limit(5);

export const allWork = (limit: number): Promise<LongWork[]> =>
	works().orderBy('begun_at', 'desc').limit(limit);
export const workById = (id: string): Promise<LongWork | undefined> => works().where({ id }).first();
/** The last that was begun for something; undefined where none was, or it is not kept any more. */
export const lastWorkAbout = (aboutId: string): Promise<LongWork | undefined> =>
	works().where({ about_id: aboutId }).orderBy('begun_at', 'desc').first();

export interface WorkItem {
	readonly ordinal: number;
	readonly subject: string;
	readonly state: 'waiting' | 'done' | 'failed';
	readonly words: string;
}

/** What came of each thing, what was not done first; `withoutShown`: of those alone of which nothing is shown. */
export const itemsOf = (
	id: string,
	{ limit, only, withoutShown = false }: { limit: number; only?: WorkItem['state']; withoutShown?: boolean }
): Promise<WorkItem[]> => {
	const query = database()('long_work_item')
		.where({ work_id: id })
		.orderByRaw(`array_position(array['failed', 'waiting', 'done'], state), ordinal`)
		.limit(limit)
		.select('ordinal', 'subject', 'state', 'words');
	if (only) void query.where({ state: only });
	if (withoutShown) void query.whereNull('shown');
	return query;
};

/** Things of which the same is shown. */
export interface ShownAlike {
	readonly shown: string;
	readonly words: string;
	readonly count: number;
	/** The first of them; `unitId` where one of them is a unit. */
	readonly things: readonly { readonly subject: string; readonly unitId: string | null }[];
	/** So many in all of which something is shown, beyond the groups that are given too. */
	readonly total: number;
}
const MOST_GROUPS = 100;
const MOST_NAMED = 200;
/**
 * What work shows of its things, those together of which it shows the same, the largest groups first. Of `customers` alone,
 * at which somebody may see that; null: of all.
 */
export async function shownAlike(id: string, customers: readonly string[] | null): Promise<ShownAlike[]> {
	const { rows } = await database().raw(
		`select shown, words, count(*)::int as count,
			to_jsonb((array_agg(jsonb_build_object('subject', subject, 'unitId', about->'unit') order by ordinal))[:${MOST_NAMED}]) as things,
			(sum(count(*)) over ())::int as total
		from long_work_item where work_id = :id and shown is not null and (:customers::uuid[] is null or customer_id = any (:customers::uuid[]))
		group by shown, words order by count(*) desc, min(ordinal) limit ${MOST_GROUPS}`,
		{ id, customers: customers && [...customers] }
	);
	return rows;
}

/** Stops it after the thing it is at; what is done stays done. Whoever began it may, and administrators. */
export async function cancelWork(id: string, actor: Actor): Promise<Act> {
	return database().transaction(async (trx) => {
		const work = await trx('long_work').where({ id }).first('person_id', 'state', 'customer_id');
		if (!work) return refuse('There is no such work.');
		if (work.person_id !== actor.personId && !actor.may('manage people', null))
			return refuse('Only whoever began it can stop it.');
		if (work.state !== 'under way') return refuse('It has ended already.');
		await trx('long_work').where({ id }).update({ wants_cancel: true });
		await notify(trx, 'work', work.customer_id, [id]);
		return { ok: true, done: undefined };
	});
}

/** Takes ended work off the bar of whoever began it; it stays in the list. */
export async function putAway(id: string, actor: Actor): Promise<Act> {
	const away = await database()('long_work')
		.where({ id, person_id: actor.personId ?? null })
		.whereNot({ state: 'under way' })
		.update({ put_away: true });
	return away > 0 ? { ok: true, done: undefined } : refuse('It is still under way, or not yours.');
}
