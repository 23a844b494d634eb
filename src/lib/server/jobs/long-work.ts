import type { Knex } from 'knex';
import { v7 as uuid } from 'uuid';
import { done, refuse, type Act } from '../act';
import { changing, MEANWHILE, TakenBack } from '../change';
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
export const wordsOf = (said: string | Said): string => (typeof said === 'string' ? said : said.words);
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

function kindOf(name: string): Kind {
	const kind = kinds.get(name);
	if (!kind) throw new Error(`Nobody knows how to do “${name}”.`);
	return kind;
}

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

/** Up to so many things are done while whoever wants it waits for the answer. */
export const DONE_AT_ONCE = 100;
/** Work has to be somebody's: a service token waits for its answer, and gives the rest again. */
const DONE_AT_ONCE_FOR_TOKENS = 500;
const NOT_SO_MANY = `A service token has at most ${DONE_AT_ONCE_FOR_TOKENS} done at once. Send the rest again.`;

/** What was said of each thing, in their order; where they were too many for one answer, the work that does them instead. */
export type DoneOrBegun =
	| { readonly workId: null; readonly outcomes: readonly Act<string | Said>[] }
	| { readonly workId: string; readonly outcomes: null };

/** Does few things at once, each in a transaction of its own, and begins long work on more of them. */
export async function doOrBegin(toDo: WorkToDo, actor: Actor): Promise<Act<DoneOrBegun>> {
	const { things } = toDo;
	if (things.length > DONE_AT_ONCE && actor.personId) {
		const begun = await database().transaction((trx) => beginLongWork(trx, toDo, actor));
		return begun.ok ? done({ workId: begun.done.id, outcomes: null }) : begun;
	}
	const { each, refusals } = kindOf(toDo.kind);
	const outcomes: Act<string | Said>[] = [];
	for (const { about } of things)
		outcomes.push(
			outcomes.length < DONE_AT_ONCE_FOR_TOKENS
				? await changing((trx) => each(trx, about, actor), refusals)
				: refuse(NOT_SO_MANY)
		);
	return done({ workId: null, outcomes });
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
	const kind = kindOf(work.kind);
	const [taken] = await runAs(BOOTSTRAP, () =>
		database()('long_work')
			.where({ id, state: 'under way' })
			.update({ fence: database().raw('fence + 1') })
			.returning('fence')
	);
	if (!taken) return;
	const turn: Turn = { id, fence: taken.fence, customerId: work.customer_id, toldAt: -Infinity };
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
	if (isRefusal(error)) return refusals[error.constraint ?? ''] ?? MEANWHILE;
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
	if (performance.now() - turn.toldAt > TELL_MS) {
		turn.toldAt = performance.now();
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

/** All that has not ended has its job: after a restart, and after a backup was brought back. */
export async function adoptLongWork(): Promise<void> {
	const open: { id: string }[] = await database()('long_work').where({ state: 'under way' }).select('id');
	for (const { id } of open)
		await enqueue(database(), LONG_WORK, { work: id }, { key: `${LONG_WORK} ${id}` });
}
