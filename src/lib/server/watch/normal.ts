import type { UplinkKind } from '../../../core/profile';
import type { NormalStep, RunStepTime } from '../../../core/watch';
import { database } from '../database';

const NORMAL = `g.step, from_version as "from", to_version as "to", median, late, stalled, learnt -> 'curve' as curve,
	(learnt ->> 'own')::int as own, (learnt ->> 'borrowed')::int as borrowed, learnt_at as "learntAt"`;

/** The models and uplinks of which something is known. Anybody who is signed in may see what is normal. */
export async function knownModels(): Promise<{ id: string; name: string; uplinks: UplinkKind[] }[]> {
	const { rows } = await database().raw(
		`select model.id, model.name, array_agg(distinct g.uplink order by g.uplink) as uplinks
		from step_group g join model on model.id = g.model_id where learnt_at is not null group by model.id order by model.name`
	);
	return rows;
}

const MOST_GROUPS = 60;
/** What is normal for a model over an uplink, in the order of the steps; those that are best known first. */
export async function normalSteps(modelId: string, uplink: string): Promise<NormalStep[]> {
	const { rows } = await database().raw(
		`select ${NORMAL} from step_group g join run_step on run_step.id = g.step
		where g.model_id = ? and g.uplink = ? and learnt_at is not null order by run_step.rank, own desc limit ${MOST_GROUPS}`,
		[modelId, uplink]
	);
	return rows;
}

const MOST_STEPS = 40;
/** How long the steps of a run took, with what is normal for each; the one that it is at comes last. */
export async function stepsOfRun(runId: string): Promise<RunStepTime[]> {
	const { rows } = await database().raw(
		`select lasted.*, ${NORMAL} from (
			(select group_id, began_at as "beganAt", seconds, has_ended as "hasEnded", false as "isOpen" from step_time where run_id = :run
				order by id desc limit ${MOST_STEPS})
			union all
			select group_id, since, extract(epoch from now() - since)::real, false, true from run where id = :run and outcome = 'open'
		) lasted join step_group g on g.id = group_id where learnt_at is not null order by "isOpen", "beganAt"`,
		{ run: runId }
	);
	return rows;
}
