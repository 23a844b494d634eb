import { randomBytes } from 'node:crypto';
import type { Knex } from 'knex';
import { v7 as uuid } from 'uuid';
import { counted } from '../../../core/text';
import { done, refuse, type Act } from '../act';
import { enterInLedger, type Actor } from '../ledger';

/** A unit that runs already, as it says itself. */
export interface RunningUnit {
	readonly serial: string;
	readonly modelId: string;
	readonly mac: string | null;
	readonly version: string | null;
}

/**
 * Claims units that were found running, in the order given: nobody has a claim code of theirs, so that none calls with one.
 * Whoever may claim for the customer may. Refused as a whole: one that is claimed already, by whomever.
 */
export async function claimRunningIn(
	trx: Knex,
	customerId: string,
	units: readonly RunningUnit[],
	actor: Actor
): Promise<Act<readonly string[]>> {
	if (!actor.may('claim', customerId)) return refuse('You may not claim units for this customer.');
	if (units.length === 0) return done([]);
	const batchId = uuid();
	await trx('batch').insert({ id: batchId, customer_id: customerId, taken_by: actor.name });
	const rows = units.map((unit, index) => ({
		...unit,
		id: uuid(),
		line: index + 1,
		// Of a code that nobody knows
		hash: randomBytes(32).toString('hex')
	}));
	const { rows: claimed } = await trx.raw(
		`insert into unit (id, serial, maker_id, model_id, customer_id, batch_id, line, mac, claim_hash, reported_version, ownership)
		select given.id, given.serial, model.maker_id, model.id, :customerId, :batchId, given.line, given.mac, decode(given.hash, 'hex'),
			given.version, 'confirmed'
		from jsonb_to_recordset(:rows::jsonb) as given(id uuid, serial text, "modelId" text, line integer, mac macaddr, version text, hash text)
		join model on model.id = given."modelId" on conflict do nothing returning id`,
		{ customerId, batchId, rows: JSON.stringify(rows) }
	);
	const taken = new Set((claimed as { id: string }[]).map(({ id }) => id));
	const left = rows.find(({ id }) => !taken.has(id));
	if (left)
		return refuse(
			`${left.serial} is claimed already, or has the MAC address of another unit. Nothing was claimed.`
		);
	await enterInLedger(trx, actor, [
		{
			act: 'claim',
			customerId,
			subjectKind: 'batch',
			subjectId: batchId,
			words: `${counted(units.length, 'unit')} claimed that ${units.length === 1 ? 'was' : 'were'} found running: ${units
				.map(({ serial }) => serial)
				.join(', ')
				.slice(0, 1000)}.`
		}
	]);
	return done(rows.map(({ id }) => id));
}
