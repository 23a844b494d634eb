import * as v from 'valibot';
import { v7 as uuid } from 'uuid';
import { groupDutySchema, type GroupDuty } from '../../../../core/people';
import { done, refuse, type Act } from '../../act';
import { changing } from '../../change';
import { database } from '../../database';
import { enterInLedger, type Actor } from '../../ledger';

/** What a group of the firm may do here. */
export interface MappedGroup extends GroupDuty {
	readonly id: string;
	readonly customer: string | null;
}
const NOT_YOURS = 'What groups may do is for administrators.';
const MOST = 1_000;

/** All of them, by name; for administrators. */
export const mappedGroups = (): Promise<MappedGroup[]> =>
	database()('firm_group')
		.leftJoin('customer', 'customer.id', 'customer_id')
		.orderBy(['firm_group.name', 'customer.name'])
		.select({
			id: 'firm_group.id',
			group: 'firm_group.name',
			customerId: 'customer_id',
			duty: 'duty',
			customer: 'customer.name'
		});

/** States what a group may do; it counts when somebody of it comes in. Administrators may. Refused: what is stated already. */
export const mapGroup = (
	{ group, customerId, duty }: v.InferOutput<typeof groupDutySchema>,
	actor: Actor
): Promise<Act> =>
	changing(
		async (trx) => {
			if (!actor.may('manage people', null)) return refuse(NOT_YOURS);
			const stated = await trx('firm_group').count('* as count').first();
			if (Number(stated?.count) >= MOST) return refuse(`At most ${MOST} groups.`);
			const id = uuid();
			await trx('firm_group').insert({ id, name: group, customer_id: customerId, duty });
			const words = `Whoever is in the firm’s group “${group}” is ${duty ?? 'administrator'}.`;
			await enterInLedger(trx, actor, [
				{ act: 'map group', customerId, subjectKind: 'person', subjectId: id, words, after: { group, duty } }
			]);
			return done(undefined);
		},
		{
			firm_group_once: 'That group has a duty there already. Remove that first.',
			firm_group_customer_id_fkey: 'There is no such customer any more.'
		}
	);

export const mappedSchema = v.object({ mapped: v.pipe(v.string('Which group?'), v.uuid('Which group?')) });

/** Removes what a group may do; whoever is here by it may it until they come in again. Administrators may. */
export const unmapGroup = ({ mapped: id }: v.InferOutput<typeof mappedSchema>, actor: Actor): Promise<Act> =>
	changing(async (trx) => {
		if (!actor.may('manage people', null)) return refuse(NOT_YOURS);
		const [gone] = await trx('firm_group').where({ id }).delete().returning(['name', 'customer_id', 'duty']);
		if (!gone) return refuse('It is removed already.');
		await enterInLedger(trx, actor, [
			{
				act: 'map group',
				customerId: gone.customer_id,
				subjectKind: 'person',
				subjectId: id,
				words: `The firm’s group “${gone.name}” is no longer ${gone.duty ?? 'administrator'}.`,
				before: { group: gone.name, duty: gone.duty }
			}
		]);
		return done(undefined);
	});
