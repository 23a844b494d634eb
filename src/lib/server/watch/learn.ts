import { expectation, limitsOf, thinned, type Expectation, type Lasted } from '../../../core/watch';
import { database } from '../database';
import { notifyEach } from '../live';

/**
 * What is normal for each group of steps, learnt from the runs and kept beside the group. So many runs of a group are
 * looked at, the latest: what was normal two years ago says little, and learning takes the same however long the history.
 */
const OWN_RUNS = 1_000;
/** Of wider groups so many, for they only fill up. */
const WIDER_RUNS = 120;
/** So many groups are learnt at one go. */
const MOST_AT_ONCE = 100;

interface Group {
	readonly id: string;
	readonly usual: number;
	readonly last: string;
	readonly [level: string]: unknown;
}

/** Learns groups that were never learnt: their first steps have just begun. Runs as BOOTSTRAP. */
export const learnNew = (): Promise<number> => learn('learnt_at is null');

/** Learns all groups again in which steps have ended since; those longest not learnt first. */
export const learnAll = (): Promise<number> =>
	learn(
		'learnt_at is null or exists (select from step_time t where t.group_id = g.id and t.id > learnt_until)'
	);

async function learn(which: string): Promise<number> {
	const { rows } = await database().raw(
		`select g.id, coalesce((model.usual ->> g.step)::float8, 60) as usual,
			coalesce((select max(id) from step_time t where t.group_id = g.id), 0) as last
		from step_group g join model on model.id = g.model_id where ${which} order by learnt_at nulls first limit ?`,
		[MOST_AT_ONCE]
	);
	const groups = rows as Group[];
	for (const group of groups) await learnGroup(group);
	const open: { id: string; customerId: string }[] = await database()('run')
		.whereIn(
			'group_id',
			groups.map(({ id }) => id)
		)
		.where({ outcome: 'open' })
		.select('id', 'customer_id as customerId');
	await notifyEach(database(), 'runs', open);
	return groups.length;
}

/**
 * Its own steps, open ones too, and, in the order in which they are borrowed from, those of wider groups: other uplinks
 * and images of the model between the same versions, the model, its maker, its role.
 */
async function learnGroup({ id, usual, last }: Group): Promise<void> {
	const { rows } = await database().raw(
		`with own as (
			select g.*, m.maker_id, m.role_id from step_group g join model m on m.id = g.model_id where g.id = :id
		), wider as (
			select g.id, case
				when g.id = own.id then 0
				when g.model_id = own.model_id and g.from_version = own.from_version and g.to_version = own.to_version then 1
				when g.model_id = own.model_id then 2
				when m.maker_id = own.maker_id then 3
				when m.role_id = own.role_id then 4
			end as level
			from own join step_group g on g.step = own.step join model m on m.id = g.model_id
		)
		select level, seconds, has_ended as "hasEnded" from wider cross join lateral (
			select id, seconds, has_ended from step_time t where t.group_id = wider.id
			order by t.id desc limit case when level = 0 then :own::bigint else :wider::bigint end
		) lately where level is not null
		union all
		select 0, greatest(0, extract(epoch from now() - since))::real, false from run where group_id = :id and outcome = 'open'`,
		{ id, own: OWN_RUNS, wider: WIDER_RUNS }
	);
	const levels: Lasted[][] = [[], [], [], [], []];
	for (const { level, ...lasted } of rows as (Lasted & { level: number })[]) levels[level]!.push(lasted);
	const known = expectation(levels, usual);
	await database()('step_group')
		.where({ id })
		.update({
			median: known.median,
			...limitsOf(known),
			learnt: JSON.stringify(kept(known)),
			learnt_at: database().fn.now(),
			learnt_until: last
		});
}

/** What is kept of an expectation beside its three figures. */
export type Kept = Pick<Expectation, 'curve' | 'tail' | 'own' | 'borrowed'>;
const kept = ({ curve, tail, own, borrowed }: Expectation): Kept => ({
	curve: thinned(curve),
	tail,
	own,
	borrowed
});
