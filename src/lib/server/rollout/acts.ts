import type { Knex } from 'knex';
import { v7 as uuid } from 'uuid';
import type { RolloutKind, RolloutState } from '../../../core/rollout';
import { counted } from '../../../core/text';
import { done, refuse, type Act } from '../act';
import { changing } from '../change';
import { enterInLedger, type Actor } from '../ledger';
import { notify } from '../live';
import { mayNot } from './drafting/begin';
import { insertItems } from './drafting/draft';

interface Locked {
	readonly id: string;
	readonly title: string;
	readonly kind: RolloutKind;
	readonly state: RolloutState;
	readonly customerId: string | null;
}

/** Does something to a rollout that somebody may send to all of: locked, with its ledger entry. */
const acting = <Done>(
	id: string,
	actor: Actor,
	act: string,
	work: (trx: Knex, rollout: Locked) => Promise<Act<{ readonly words: string; readonly done: Done }>>
): Promise<Act<Done>> =>
	changing(async (trx) => {
		const rollout: Locked | undefined = await trx('rollout')
			.where({ id })
			.forUpdate()
			.first('id', 'title', 'kind', 'state', 'customer_id as customerId');
		if (!rollout) return refuse('There is no such rollout.');
		const { rows } = await trx.raw(
			'select distinct customer_id as id from rollout_item where rollout_id = ?',
			[id]
		);
		const refused = mayNot(new Set((rows as { id: string }[]).map((one) => one.id)), actor);
		if (refused) return refused;
		const outcome = await work(trx, rollout);
		if (!outcome.ok) return outcome;
		await enterInLedger(trx, actor, [
			{
				act,
				customerId: rollout.customerId,
				subjectKind: 'rollout',
				subjectId: id,
				words: `Rollout “${rollout.title}”: ${outcome.done.words}${actor.reason ? ` ${actor.reason}` : ''}`
			}
		]);
		await notify(trx, 'rollouts', rollout.customerId, [id]);
		return done(outcome.done.done);
	});
const did = <Done>(words: string, what: Done) => done({ words, done: what });
const isOver = ({ state }: Locked) => state === 'ended';
const OVER = 'This rollout is over.';
const NOT_BEGUN = 'This rollout has not begun.';

/** Nothing new is begun; what is under way comes to its end. */
export const pauseRollout = (id: string, actor: Actor): Promise<Act> =>
	acting(id, actor, 'pause rollout', async (trx, rollout) => {
		if (rollout.state !== 'under way') return refuse(isOver(rollout) ? OVER : 'It is not going on.');
		await trx('rollout')
			.where({ id })
			.update({ state: 'paused', words: `Paused by ${actor.name}.` });
		return did('it is paused.', undefined);
	});

/** It goes on. Where it was stopped, what had failed until then counts no more: that is what whoever lets it go on decides. */
export const goOnWithRollout = (id: string, actor: Actor): Promise<Act> =>
	acting(id, actor, 'go on with rollout', async (trx, rollout) => {
		if (rollout.state !== 'paused' && rollout.state !== 'stopped')
			return refuse(isOver(rollout) ? OVER : rollout.state === 'planned' ? NOT_BEGUN : 'It is going on.');
		if (!actor.personId) return refuse('Only a person can let it go on.');
		const wasStopped = rollout.state === 'stopped';
		if (wasStopped && !actor.reason) return refuse('Too many failed. Say why it goes on all the same.');
		await trx('rollout')
			.where({ id })
			.update({
				state: 'under way',
				words: '',
				person_id: actor.personId,
				actor: actor.name,
				address: actor.address,
				...(wasStopped && {
					counted_after: trx('rollout_item')
						.where({ rollout_id: id })
						.select(trx.raw('coalesce(max(ended_as), 0)'))
				})
			});
		return did('it goes on.', undefined);
	});

/** Nothing more is done; what is under way comes to its end. */
export const cancelRollout = (id: string, actor: Actor): Promise<Act> =>
	acting(id, actor, 'cancel rollout', async (trx, rollout) => {
		if (isOver(rollout)) return refuse(OVER);
		if (rollout.state === 'planned') {
			await trx('rollout').where({ id }).delete();
			return did('what was planned is thrown away.', undefined);
		}
		const left = await trx('rollout_item')
			.where({ rollout_id: id, state: 'waiting' })
			.update({ state: 'left out', words: 'The rollout was ended before its turn.', ended_at: trx.fn.now() });
		const underWay = await trx('rollout_item').where({ rollout_id: id, state: 'under way' }).first('unit_id');
		await trx('rollout')
			.where({ id })
			.update({
				words: `Ended by ${actor.name}.`,
				// What is under way is looked after until it is over
				...(underWay ? { state: 'paused' } : { state: 'ended', ended_at: trx.fn.now() })
			});
		return did(
			`it is ended; ${counted(left, 'unit')} ${left === 1 ? 'is' : 'are'} left as they were.`,
			undefined
		);
	});

/** A unit is not done in this rollout. */
export const leaveOut = (id: string, unitIds: readonly string[], actor: Actor): Promise<Act> =>
	acting(id, actor, 'leave out of rollout', async (trx, rollout) => {
		if (isOver(rollout)) return refuse(OVER);
		const items = trx('rollout_item')
			.where({ rollout_id: id, state: 'waiting' })
			.whereIn('unit_id', [...unitIds]);
		const left =
			rollout.state === 'planned'
				? await items.delete()
				: await items.update({
						state: 'left out',
						words: `Left out by ${actor.name}.`,
						ended_at: trx.fn.now()
					});
		if (left === 0) return refuse('It does not wait any more.');
		return did(`${counted(left, 'unit')} left out.`, undefined);
	});

/** A unit does not wait for its wave and its window. With a reason. */
export const doNow = (id: string, unitId: string, actor: Actor): Promise<Act> =>
	acting(id, actor, 'do now in rollout', async (trx, rollout) => {
		if (rollout.state !== 'under way') return refuse(isOver(rollout) ? OVER : 'The rollout is not going on.');
		if (!actor.reason) return refuse('Say why it does not wait for its window.');
		const changed = await trx('rollout_item')
			.where({ rollout_id: id, unit_id: unitId, state: 'waiting' })
			.update({ now_because: actor.reason });
		if (changed === 0) return refuse('It does not wait any more.');
		return did('one unit is done now.', undefined);
	});

/**
 * Plans to bring back what this rollout changed, each unit to what it ran before: a rollout of its own, to be looked at before
 * it begins. Refused: where nothing was changed, or it cannot be taken back.
 */
export const goBack = (
	id: string,
	actor: Actor
): Promise<Act<{ readonly id: string; readonly count: number }>> =>
	acting(id, actor, 'go back', async (trx, { kind, title, customerId }) => {
		if (!actor.personId) return refuse('Only a person can plan a rollout.');
		if (kind === 'restart') return refuse('A restart cannot be taken back.');
		if (kind === 'secret')
			return refuse('The secrets before are destroyed. Renew those that are to change again.');
		const { rows } = await trx.raw(
			`select item.unit_id as unit, binding.position_id as position, item.site_id as site, item.customer_id as customer, item.model_id as model, item.is_front as front,
				case when :stance then coalesce(stated.stance, '') else coalesce(unit.reported_version, '') end as had, case when :named then item.had end as gets,
				before.id as version, -- the way back takes as long as the way there did
				extract(epoch from case when item.state = 'done' then greatest(item.ended_at - item.begun_at, interval '10 seconds') else item.takes end)::float8 as takes
			from rollout_item item join unit on unit.id = item.unit_id join binding on binding.unit_id = item.unit_id and binding.position_id = item.position_id
			left join lateral (
				select version.id from archive_version version join send on send.id = item.send_id
				where version.unit_id = item.unit_id and version.at < send.committed_at order by version.number desc limit 1
			) before on not :named
			left join stance stated on stated.unit_id = item.unit_id
			where item.rollout_id = :id and item.state in ('done', 'failed')
				and case when :stance then coalesce(stated.stance, '') <> item.had
					when :named then unit.reported_version is distinct from item.had and item.had <> '' else before.id is not null end
			order by item.ordinal`,
			{ id, stance: kind === 'stance', named: kind === 'firmware' || kind === 'stance' }
		);
		if (rows.length === 0) return refuse('There is nothing to take back.');
		const back = uuid();
		await trx('rollout').insert({
			id: back,
			title: `Back from: ${title}`.slice(0, 200),
			kind: kind === 'firmware' || kind === 'stance' ? kind : 'restore',
			customer_id: customerId,
			person_id: actor.personId,
			actor: actor.name,
			address: actor.address,
			back_of: id
		});
		await insertItems(trx, back, rows);
		return did(`${counted(rows.length, 'unit')} are to go back.`, { id: back, count: rows.length });
	});
