import { expect } from 'chai';
import { cohorts, keepCohort } from '../../../src/lib/server/cohorts';
import { BOOTSTRAP, runAs } from '../../../src/lib/server/database';
import { claimBatch } from '../../../src/lib/server/intake';
import { beginReplacement, giveUnits, lookAtReplacement } from '../../../src/lib/server/replacement';
import { newModelLabel } from '../../model-label';
import { ACTOR, boundUnit, customerId, lineOf, unwalled } from '../making';
import { fresh, must } from '../profile/profile-making';

export const CUSTOMER = 'Marlstone Veterinary';
export type Bound = Awaited<ReturnType<typeof boundUnit>>;
export const look = (id: string) => runAs(BOOTSTRAP, () => lookAtReplacement(id));

/** So many gateways, and a replacement of them by the model. */
export async function replacing(count: number, model = 'og-8') {
	const customer = await customerId(CUSTOMER);
	const name = fresh('old gateways');
	const bound: Bound[] = [];
	for (let at = 0; at < count; at++) bound.push(await boundUnit('gateway', CUSTOMER));
	await unwalled().raw(`update position set values = values || ? where id = any (?)`, [
		JSON.stringify({ ring: name }),
		bound.map(({ positionId }) => positionId)
	]);
	must(await keepCohort({ customer, name, rule: `field=${encodeURIComponent(`ring=${name}`)}` }, ACTOR));
	const cohort = (await cohorts([customer])).find((one) => one.name === name)!.id;
	const { id } = must(await beginReplacement({ cohort, model, name }, ACTOR));
	await look(id);
	return { id, name, cohort, bound };
}
export async function newGateway(
	model: 'OG-8' | 'OG-2' | 'VT-340' = 'OG-8',
	customer = CUSTOMER
): Promise<string> {
	const label = newModelLabel(model);
	const claimed = must(await claimBatch(await customerId(customer), lineOf(label), ACTOR));
	expect(claimed.rows[0]!.unitId, claimed.rows[0]!.reason).to.be.a('string');
	return label.serial;
}
export const give = (id: string, units: string, actor = ACTOR) => giveUnits(id, { units }, actor);
