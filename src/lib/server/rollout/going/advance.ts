import type { Knex } from 'knex';
import pLimit from 'p-limit';
import type { RolloutState } from '../../../../core/rollout';
import { counted } from '../../../../core/text';
import { BOOTSTRAP, database, runAs, timeNow } from '../../database';
import type { Actor } from '../../ledger';
import { notify } from '../../live';
import { actorById } from '../../people';
import { claim } from './claim';
import { entered, type Going } from './going';
import { beginItem, letGoOfUnbegun } from './item';
import { joinNewcomers } from '../drafting/join';
import { judge } from './judge';
import { settle } from './settle';
import { toTell } from './tell';

/** Each waits for the database more than it works; other requests want connections too. */
const BEGUN_BESIDE = 5;

/**
 * One turn: what has ended is noted, the stop rule is asked, and as many units are claimed as may begin now. What was
 * claimed is begun afterwards, each in a transaction of its own as whoever began the rollout; a kill in between leaves
 * it claimed and not begun, and it waits again. `now`: by which windows
 * are open. Resolves with how many are settled by it, begun or left out. Runs as BOOTSTRAP.
 */
export async function advance(id: string, now = timeNow()): Promise<number> {
	const actor = await whoBegan(id);
	if (!actor) return 0;
	await joinNewcomers(id, (customer) => actor.may('send', customer));
	const claimed = await database().transaction(async (trx) => {
		const going = await lock(trx, id);
		if (!going) return null;
		await letGoOfUnbegun(trx, id);
		const changed = await settle(trx, going);
		const state = (await mayGoOn(trx, going, actor)) ? await judge(trx, going) : 'paused';
		if (await ends(trx, { ...going, state })) return null;
		const items = state === 'under way' ? await claim(trx, going, now) : [];
		if (changed > 0 || items.length > 0 || state !== going.state)
			await notify(trx, 'rollouts', going.customerId, [id]);
		return { going, items };
	});
	if (!claimed) return 0;
	const beginning = pLimit(BEGUN_BESIDE);
	const begun = await Promise.all(
		claimed.items.map((item) => beginning(() => beginItem(claimed.going, item, actor)))
	);
	if (claimed.items.length > 0)
		await runAs(BOOTSTRAP, () =>
			database().transaction((trx) => notify(trx, 'rollouts', claimed.going.customerId, [id]))
		);
	return begun.filter(Boolean).length;
}

/** Whoever began it, as they are now; null when it is over. */
async function whoBegan(id: string): Promise<Actor | null> {
	const row = await database()('rollout')
		.where({ id })
		.whereIn('state', ['under way', 'paused', 'stopped'])
		.first('person_id', 'actor', 'address');
	return row ? actorById(row.person_id, row.actor, row.address) : null;
}

/** Whether whoever began it may still send to all that waits; else it is paused until somebody who may lets it go on. */
async function mayGoOn(trx: Knex, going: Going, actor: Actor): Promise<boolean> {
	if (going.state !== 'under way') return true;
	const { rows } = await trx.raw(
		`select distinct customer_id as id from rollout_item where rollout_id = ? and state = 'waiting'`,
		[going.id]
	);
	if ((rows as { id: string }[]).every(({ id }) => actor.may('send', id))) return true;
	const words = `Paused: ${going.actor}, who began it, may not send to all of its units any more.`;
	await trx('rollout').where({ id: going.id }).update({ state: 'paused', words });
	await entered(trx, going, 'rollout paused', words);
	return false;
}

/** Another process may be at its turn: what has moved since that one looked is for this one to see. */
async function lock(trx: Knex, id: string): Promise<Going | undefined> {
	return trx('rollout')
		.where({ id })
		.whereIn('state', ['under way', 'paused', 'stopped'])
		.forUpdate()
		.first(
			'id', 'title', 'kind', 'state', 'customer_id as customerId', 'rules', 'person_id as personId', 'actor', 'address', 'reason', 'asked', 'words',
			'counted_after as countedAfter', 'stopped_models as stoppedModels', 'begun_at as begunAt', trx.raw('until < now() as "isPast"')
		); // prettier-ignore
}

/** Whether it is over: nothing waits and nothing is under way. What was not come to in time is left out. */
async function ends(trx: Knex, going: Going & { readonly state: RolloutState }): Promise<boolean> {
	if (going.isPast)
		await trx('rollout_item')
			.where({ rollout_id: going.id, state: 'waiting' })
			.update({ state: 'left out', words: 'Its turn did not come in time.', ended_at: trx.fn.now() });
	const { rows } = await trx.raw(
		`select (count(*) filter (where state in ('waiting', 'under way')))::int as open, (count(*) filter (where state = 'done'))::int as done,
			(count(*) filter (where state = 'failed'))::int as failed, (count(*) filter (where state = 'left out'))::int as left
		from rollout_item where rollout_id = ?`,
		[going.id]
	);
	const { open, done, failed, left } = rows[0];
	if (open > 0) return false;
	const words = `Over: ${counted(done, 'unit')} done, ${failed} failed, ${left} left out.`;
	await trx('rollout')
		.where({ id: going.id })
		.update({
			state: 'ended',
			ended_at: trx.fn.now(),
			words: trx.raw(`case when words = '' then ? else words || ' ' || ? end`, [words, words])
		});
	await entered(trx, going, 'rollout ended', words);
	await toTell(trx, going.id, words);
	await notify(trx, 'rollouts', going.customerId, [going.id]);
	return true;
}
