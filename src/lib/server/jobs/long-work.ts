import type { Knex } from 'knex';
import { v7 as uuid } from 'uuid';
import type { Progress } from '../../../core/long-work';
import { refuse, type Act } from '../act';
import { TakenBack } from '../change';
import { BOOTSTRAP, database, enqueue, isRefusal, runAs } from '../database';
import type { Actor } from '../ledger';
import { notify } from '../live';
import { log } from '../log';
import { actorById } from '../people';

/**
 * What takes longer than an answer. It is begun by an act, done beside the requests as whoever began it, one
 * thing after another, each in one transaction with the note that it was done: after a kill it goes on with
 * the first that was not, and does nothing twice. A process that was only slow finds the fence moved.
 */
export const LONG_WORK = 'long work';

export interface Thing {
	readonly customerId: string;
	/** What people call it. */
	readonly subject: string;
	/** What the work needs to know of it: ids, and why it is done. */
	readonly about: Readonly<Record<string, string>>;
}

/** What is said of a thing; `shown`: a text beside it, without secrets, under which those of the same text stand together. */
export interface Said {
	readonly words: string;
	readonly shown: string | null;
}
const LONGEST_SHOWN = 200_000;
/** One thing's turn, in a transaction of its own; what it returns is said of it. A refusal takes it back. */
type Each = (trx: Knex, about: Readonly<Record<string, string>>, actor: Actor) => Promise<Act<string | Said>>;
interface Kind {
	readonly each: Each;
	/** The words of the database's constraints that it can meet. */
	readonly refusals: Readonly<Record<string, string>>;
}
const kinds = new Map<string, Kind>();
export const onLongWork = (kind: string, each: Each, refusals: Kind['refusals'] = {}): void =>
	void kinds.set(kind, { each, refusals });

export interface WorkToDo {
	readonly kind: string;
	readonly title: string;
	readonly things: readonly Thing[];
	/** What it is begun for, where somebody finds it again. */
	readonly aboutId?: string;
}
/** Begins work on many things, in the transaction of the act that wants it. Whoever begins it must be a person. */
export async function beginLongWork(
	trx: Knex,
	{ kind, title, things, aboutId }: WorkToDo,
	actor: Actor
): Promise<Act<{ id: string }>> {
	if (!actor.personId) return refuse('Only a person can begin this.');
	if (things.length === 0) return refuse('There is nothing to do.');
	const id = uuid();
	const customers = new Set(things.map(({ customerId }) => customerId));
	await trx('long_work').insert({
		id,
		kind,
		title,
		customer_id: customers.size === 1 ? things[0]!.customerId : null,
		person_id: actor.personId,
		actor: actor.name,
		address: actor.address,
		about_id: aboutId ?? null,
		total: things.length
	});
	await trx.raw(
		`insert into long_work_item (work_id, ordinal, customer_id, subject, about)
		select :id, ordinal, thing."customerId", left(thing.subject, 200), thing.about
		from rows from (jsonb_to_recordset(:things::jsonb) as ("customerId" uuid, subject text, about jsonb)) with ordinality as thing("customerId", subject, about, ordinal)`,
		{ id, things: JSON.stringify(things) }
	);
	await enqueue(trx, LONG_WORK, { work: id }, { key: `${LONG_WORK} ${id}` });
	return { ok: true, done: { id } };
}

/** Somebody else has taken it up, or it has ended. */
class Superseded extends Error {}

interface Turn {
	readonly id: string;
	readonly fence: number;
	readonly customerId: string | null;
	toldAt: number;
}

const ITEMS_AT_ONCE = 50;
/** Whoever watches is told so often. */
const TELL_MS = 300;

/** Goes on with a piece of long work until it is done, cancelled, or taken up by another process. */
export async function workOn(id: string): Promise<void> {
	const work = await runAs(BOOTSTRAP, () =>
		database()('long_work').where({ id, state: 'under way' }).first()
	);
	if (!work) return;
	const actor = await actorById(work.person_id, work.actor, work.address ?? null);
	const kind = kinds.get(work.kind);
	if (!kind) throw new Error(`Nobody knows how to do “${work.kind}”.`);
	const [taken] = await runAs(BOOTSTRAP, () =>
		database()('long_work')
			.where({ id, state: 'under way' })
			.update({ fence: database().raw('fence + 1') })
			.returning('fence')
	);
	if (!taken) return;
	const turn: Turn = { id, fence: taken.fence, customerId: work.customer_id, toldAt: 0 };
	try {
		await runAs({ kind: 'person', personId: work.person_id }, () => workThrough(turn, kind, actor));
		await runAs(BOOTSTRAP, () => end(turn));
	} catch (error) {
		if (!(error instanceof Superseded)) throw error;
	}
}

/** Until nothing waits that whoever began it still sees, or they want it to stop. */
async function workThrough(turn: Turn, kind: Kind, actor: Actor): Promise<void> {
	for (;;) {
		const items: { ordinal: number; about: Record<string, string> }[] = await database()('long_work_item')
			.where({ work_id: turn.id, state: 'waiting' })
			.orderBy('ordinal')
			.limit(ITEMS_AT_ONCE)
			.select('ordinal', 'about');
		if (items.length === 0) return;
		for (const item of items) if (await workItem(turn, kind, item, actor)) return;
	}
}

/** One thing; resolves with whether somebody wants it all to stop. */
async function workItem(
	turn: Turn,
	{ each, refusals }: Kind,
	{ ordinal, about }: { readonly ordinal: number; readonly about: Record<string, string> },
	actor: Actor
): Promise<boolean> {
	try {
		return await database().transaction(async (trx) => {
			const act = await each(trx, about, actor);
			if (!act.ok) throw new TakenBack(act);
			return note(trx, turn, ordinal, 'done', act.done);
		});
	} catch (error) {
		const words = whyNot(error, refusals, turn);
		return database().transaction((trx) => note(trx, turn, ordinal, 'failed', words));
	}
}

const COULD_NOT = 'Limen could not do this. The log of Limen says more.';

/** Why a thing was not done, in words. Rejects when it is no fault of the thing: all of it is tried again. */
function whyNot(error: unknown, refusals: Kind['refusals'], { id }: Turn): string {
	if (error instanceof TakenBack) return error.refusal.problem;
	if (error instanceof Superseded) throw error;
	if (isRefusal(error)) return refusals[error.constraint ?? ''] ?? 'Somebody changed this meanwhile.';
	// The database is away, say
	if ((error as { code?: unknown }).code !== undefined) throw error;
	log.error({ work: id, error: (error as Error).stack }, 'a thing of long work could not be done');
	return COULD_NOT;
}

async function note(
	trx: Knex,
	turn: Turn,
	ordinal: number,
	state: 'done' | 'failed',
	said: string | Said
): Promise<boolean> {
	const { words, shown } = typeof said === 'string' ? { words: said, shown: null } : said;
	const noted = await trx('long_work_item')
		.where({ work_id: turn.id, ordinal, state: 'waiting' })
		.update({ state, words: words.slice(0, 2000), shown: shown?.slice(0, LONGEST_SHOWN) ?? null });
	const [work] = await trx('long_work')
		.where({ id: turn.id, fence: turn.fence, state: 'under way' })
		.update({ [state]: trx.raw('?? + 1', [state]) })
		.returning('wants_cancel');
	if (noted === 0 || !work) throw new Superseded();
	if (Date.now() - turn.toldAt > TELL_MS) {
		turn.toldAt = Date.now();
		await notify(trx, 'work', turn.customerId, [turn.id]);
	}
	return work.wants_cancel;
}

/** What was not come to, because somebody stopped it or whoever began it was shut out, is as it was. */
async function end(turn: Turn): Promise<void> {
	await database().transaction(async (trx) => {
		await trx('long_work')
			.where({ id: turn.id, fence: turn.fence, state: 'under way' })
			.update({
				state: trx.raw(`case when done + failed = total then 'done' else 'cancelled' end`),
				ended_at: trx.fn.now()
			});
		await notify(trx, 'work', turn.customerId, [turn.id]);
	});
}

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

/** All that has not ended has its job: after a restart, and after a backup was brought back. */
export async function adoptLongWork(): Promise<void> {
	const open: { id: string }[] = await database()('long_work').where({ state: 'under way' }).select('id');
	for (const { id } of open)
		await enqueue(database(), LONG_WORK, { work: id }, { key: `${LONG_WORK} ${id}` });
}
