import * as v from 'valibot';
import { done, refuse, type Act } from '../act';
import { database } from '../database';
import { oneId } from '../forms';
import { enterInLedger, type Actor } from '../ledger';
import { notify } from '../live';
import { authoritiesOf } from './authorities';

export const demandSchema = v.object({
	customer: oneId('Choose a customer.'),
	wanted: v.picklist(['yes', 'no'])
});

export interface CertificateDemand {
	readonly customerId: string;
	readonly name: string;
	readonly units: number;
	/** Since when a claim code alone is refused; null where it does. */
	readonly since: Date | null;
	readonly setBy: string | null;
}
/** Customers with units of a maker, of those that whoever asks may see, and which want device certificates of them. */
export async function certificateDemands(makerId: string): Promise<readonly CertificateDemand[]> {
	const { rows } = await database().raw(
		`select customer.id as "customerId", customer.name, count(unit.id)::int as units, since, set_by as "setBy"
		from customer left join unit on unit.customer_id = customer.id and unit.maker_id = :maker and out_of_service_at is null
		left join certificate_demand demand on demand.customer_id = customer.id and demand.maker_id = :maker
		group by customer.id, customer.name, since, set_by having count(unit.id) > 0 or since is not null order by customer.name`,
		{ maker: makerId }
	);
	return rows;
}

/** Whether a customer's units of a maker have to show a device certificate. Engineers of the customer may say. */
export async function demandCertificates(
	makerId: string,
	{ customer: customerId, wanted }: v.InferOutput<typeof demandSchema>,
	actor: Actor
): Promise<Act> {
	if (!actor.may('edit profiles', customerId)) return refuse('This is for engineers of the customer.');
	const isWanted = wanted === 'yes';
	if (isWanted && (await authoritiesOf(makerId)).length === 0)
		return refuse('The maker’s pack names nobody who signs device certificates, so no unit could come.');
	return database().transaction(async (trx) => {
		const customer = await trx('customer').where({ id: customerId }).first('name');
		const maker = await trx('maker').where({ id: makerId }).first('name');
		if (!customer || !maker) return refuse('There is no such customer or maker any more.');
		const key = { customer_id: customerId, maker_id: makerId };
		const changed = isWanted
			? await trx('certificate_demand')
					.insert({ ...key, set_by: actor.name })
					.onConflict(['customer_id', 'maker_id'])
					.ignore()
					.returning('maker_id')
			: await trx('certificate_demand').where(key).delete().returning('maker_id');
		if (changed.length === 0) return done(undefined);
		await notify(trx, 'units', customerId);
		await enterInLedger(trx, actor, [
			{
				act: 'want device certificates',
				customerId,
				subjectKind: 'customer',
				subjectId: customerId,
				words: `${customer.name}: units of ${maker.name} ${isWanted ? 'have to show a device certificate; a claim code alone is refused' : 'may come with their claim code alone'}.`,
				before: { wanted: !isWanted },
				after: { wanted: isWanted }
			}
		]);
		return done(undefined);
	});
}
