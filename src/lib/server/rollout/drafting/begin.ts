import { timeNow } from '../../database';
import * as v from 'valibot';
import { kindDone, planOf, rolloutRulesSchema, type RolloutRules } from '../../../../core/rollout';
import { counted } from '../../../../core/text';
import { done, refuse, type Act } from '../../act';
import { changing } from '../../change';
import { enterInLedger, type Actor } from '../../ledger';
import { notify } from '../../live';
import { rolloutAhead } from './ahead';
import { toTell } from '../going/tell';

/** What is not come to in so long is left out. */
const LASTS_DAYS = 28;

export const beginSchema = v.object({
	title: v.pipe(
		v.string('Give it a title.'),
		v.trim(),
		v.minLength(1, 'Give it a title.'),
		v.maxLength(200, 'At most 200 characters.')
	),
	rules: v.pipe(
		v.string(),
		v.maxLength(10_000),
		v.parseJson(undefined, 'The form is not complete. Load the page again and try again.'),
		rolloutRulesSchema
	),
	units: v.pipe(v.string(), v.regex(/^\d{1,6}$/), v.transform(Number)),
	asked: v.optional(v.literal('on'))
});

/**
 * Begins a rollout as it was planned: from now on it goes on by itself, as whoever began it. Whoever may send at all of its
 * customers may. Refused: one that has begun; whose units changed since it was looked at; that brings units an older
 * firmware without a reason; where contacts are to be asked first and were not.
 */
export async function beginRollout(
	id: string,
	{
		title,
		rules,
		units,
		asked
	}: {
		readonly title: string;
		readonly rules: RolloutRules;
		readonly units: number;
		readonly asked: boolean;
	},
	actor: Actor
): Promise<Act> {
	if (!actor.personId) return refuse('Only a person can begin this.');
	return changing(async (trx) => {
		const rollout = await trx('rollout').where({ id }).forUpdate().first('state', 'customer_id', 'kind');
		if (!rollout) return refuse('There is no such rollout.');
		if (rollout.state !== 'planned') return refuse('This rollout has begun already.');
		const ahead = await rolloutAhead(id, timeNow(), trx);
		const { items } = ahead.inputs;
		const refused = mayNot(new Set(items.map(({ customerId }) => customerId)), actor);
		if (refused) return refused;
		if (items.length !== units)
			return refuse('Its units have changed since you looked. Look again before it begins.');
		if (items.length === 0) return refuse('There is nothing to do.');
		if (ahead.back > 0 && !actor.reason)
			return refuse(`${counted(ahead.back, 'unit')} would get an older firmware. Say why.`);
		if (ahead.asksFirst > 0 && !asked)
			return refuse(
				`At ${counted(ahead.asksFirst, 'site')} the contact is asked first. Say that it was done.`
			);
		const { waves } = planOf(ahead.inputs, rules, timeNow());
		await trx.raw(
			`update rollout_item set wave = w.wave from (
				select unit.value::uuid as unit, (wave.ordinality - 1)::int as wave
				from jsonb_array_elements(:waves::jsonb) with ordinality wave, jsonb_array_elements_text(wave.value) unit
			) w where rollout_id = :id and unit_id = w.unit`,
			{ id, waves: JSON.stringify(waves) }
		);
		await trx('rollout')
			.where({ id })
			.update({
				title,
				state: 'under way',
				words: '',
				rules: JSON.stringify(rules),
				person_id: actor.personId,
				actor: actor.name,
				address: actor.address,
				reason: actor.reason ?? null,
				asked,
				begun_at: trx.fn.now(),
				until: trx.raw(`now() + interval '${LASTS_DAYS} days'`)
			});
		await enterInLedger(trx, actor, [
			{
				act: 'begin rollout',
				customerId: rollout.customer_id,
				subjectKind: 'rollout',
				subjectId: id,
				words: `Rollout “${title}” begins: ${counted(items.length, 'unit')} in ${counted(waves.length, 'wave')} are ${kindDone(rollout.kind)}.`,
				detail: { rules }
			}
		]);
		await toTell(trx, id, `Begun: ${counted(items.length, 'unit')} in ${counted(waves.length, 'wave')}.`);
		await notify(trx, 'rollouts', rollout.customer_id, [id]);
		return done(undefined);
	});
}

/** Why somebody may not act on a rollout to units of these customers; null when they may. */
export function mayNot(customers: ReadonlySet<string>, actor: Actor) {
	const foreign = [...customers].filter((customer) => !actor.may('send', customer)).length;
	return foreign === 0
		? null
		: refuse(`It goes to units of ${counted(foreign, 'customer')} that you may not send to.`);
}
