import type { Knex } from 'knex';
import { verdict, type Outcome, type RolloutState, type Verdict } from '../../../../core/rollout';
import { entered, type Going } from './going';
import { toTell } from './tell';

const percent = (failures: number, after: number): string => `${failures} of ${after} failed`;

/** Asks the stop rule; the state that the rollout is in then. */
export async function judge(trx: Knex, going: Going): Promise<RolloutState> {
	if (going.state !== 'under way') return going.state;
	const outcomes: Outcome[] = await trx('rollout_item')
		.where({ rollout_id: going.id })
		.whereIn('state', ['done', 'failed'])
		.where('ended_as', '>', going.countedAfter)
		.orderBy('ended_as')
		.select('model_id as model', trx.raw(`state = 'failed' as failed`), 'signature');
	let stopped = going.stoppedModels;
	for (;;) {
		const said = verdict(outcomes, going.rules.stop, new Set(stopped));
		if (said.kind === 'go on') return 'under way';
		if (said.kind === 'stop') {
			await stopAll(trx, going, said);
			return 'stopped';
		}
		stopped = [...stopped, said.model];
		await stopModel(trx, going, said, stopped);
	}
}

async function stopAll(
	trx: Knex,
	going: Going,
	{ failures, after }: Extract<Verdict, { kind: 'stop' }>
): Promise<void> {
	const words = `Stopped: ${percent(failures, after)}, which is more than the ${going.rules.stop.allowed * 100} % that are allowed.`;
	await trx('rollout').where({ id: going.id }).update({ state: 'stopped', words });
	await entered(trx, going, 'rollout stopped', words);
	await toTell(trx, going.id, words);
}

async function stopModel(
	trx: Knex,
	going: Going,
	{ model, failures, after }: Extract<Verdict, { kind: 'stop model' }>,
	stopped: readonly string[]
): Promise<void> {
	const { name } = await trx('model').where({ id: model }).first('name');
	const words = `Stopped for ${name}: ${percent(failures, after)} in one way. The other models go on.`;
	await trx('rollout')
		.where({ id: going.id })
		.update({ stopped_models: [...stopped], words });
	await trx('rollout_item')
		.where({ rollout_id: going.id, model_id: model, state: 'waiting' })
		.update({
			state: 'left out',
			words: `Stopped for this model: ${percent(failures, after)}.`,
			ended_at: trx.fn.now()
		});
	await entered(trx, going, 'rollout stopped for model', words);
	await toTell(trx, going.id, words);
}
