import { counted } from '../../../../core/text';
import { cohortMembers } from '../../cohorts';
import { database } from '../../database';
import { notify } from '../../live';
import { itemsFor, MOST_UNITS, type DraftKind } from './candidates';
import { insertItems } from './draft';
import { entered, type Going } from '../going/going';

/** So often is looked who has come into a cohort. */
const LOOKED_EVERY = '1 minute';

/**
 * Units that have come into a rollout's cohort since it was planned join its last wave, those of customers alone that whoever
 * began it may send to. Done twice, it does no harm. Runs as BOOTSTRAP.
 */
export async function joinNewcomers(id: string, mayBeSent: (customerId: string) => boolean): Promise<void> {
	const rollout: { kind: DraftKind; cohortId: string; wanted: string | null } | undefined = await database()(
		'rollout'
	)
		.where({ id, state: 'under way', joins: true })
		.whereNotNull('cohort_id')
		.whereRaw(`(joined_at is null or joined_at < now() - interval '${LOOKED_EVERY}')`)
		.first('kind', 'cohort_id as cohortId', 'wanted');
	if (!rollout) return;
	const members = await cohortMembers(rollout.cohortId, MOST_UNITS);
	const known = new Set(await database()('rollout_item').where({ rollout_id: id }).pluck('unit_id'));
	const units = (members ?? []).filter((unit) => !known.has(unit)).slice(0, MOST_UNITS - known.size);
	const { items } = await itemsFor(database(), rollout.kind, { units }, rollout.wanted);
	const joining = items.filter(({ customer }) => mayBeSent(customer));
	await database().transaction(async (trx) => {
		const going: Pick<Going, 'id' | 'title' | 'customerId'> | undefined = await trx('rollout')
			.where({ id, state: 'under way' })
			.forUpdate()
			.first('id', 'title', 'customer_id as customerId');
		if (!going) return;
		await trx('rollout').where({ id }).update({ joined_at: trx.fn.now() });
		const [last] = (await trx('rollout_item').where({ rollout_id: id }).max('wave as wave')) as [
			{ wave: number | null }
		];
		const joined = await insertItems(trx, id, joining, last.wave);
		if (joined === 0) return;
		await entered(
			trx,
			going,
			'rollout joined',
			`${counted(joined, 'unit')} came into its cohort and joined.`
		);
		await notify(trx, 'rollouts', going.customerId, [id]);
	});
}
