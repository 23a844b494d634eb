import { v7 as uuid } from 'uuid';
import { saveRule } from '../../../src/lib/server/binding';
import { claimBatch } from '../../../src/lib/server/intake';
import { createToken, TOKEN_ACTS } from '../../../src/lib/server/people';
import { createPool, importUsed, savePattern } from '../../../src/lib/server/plan';
import {
	ACTOR,
	anAdministrator,
	boundUnit,
	customerId,
	doneBy,
	invoke,
	lineOf,
	newLabel,
	newUnit,
	openPosition,
	report,
	type TestPerson,
	unwalled
} from '../making';
import { firstOf, type Ids } from './ids';
import { connectorOf, handoverAt, proofAt, reportOf, workOf } from './records';
import { dialogueWith, driftAt, rolloutOf, tunnelBetween } from './running';

export { firstOf, nothing, type Ids } from './ids';

/**
 * One of everything that a customer can have, made anew and owned by one of its people; with the words in it
 * that nobody else may ever read.
 */
export async function thingsOf(
	customerName: string,
	owner: TestPerson
): Promise<{ ids: Ids; marks: string[] }> {
	const unit = await boundUnit('gateway', customerName);
	await report(unit, 'bootstrap-initiated');
	await report(unit, 'config-error', { message: 'line 1: their words' });
	await invoke('get-bootstrapping-data', { serial: unit.serial, claimCode: 'WRONGCODE' });
	const { site_id: site } = await unwalled()('position').where({ id: unit.positionId }).first('site_id');
	const { name } = await unwalled()('site').where({ id: site }).first('name');
	const customer = await customerId(customerName);
	const pool = await createPool(
		{
			customerId: customer,
			name: 'The walk’s pool',
			field: 'walk_number',
			scope: 'site',
			range: { first: 1, last: 9 },
			policy: 'next-free',
			warnBelow: 1
		},
		ACTOR
	);
	if (!pool.ok) throw new Error(pool.problem);
	await importUsed(pool.done.id, [{ value: '5', label: 'a label of theirs' }], ACTOR);
	// One word: several would be passed over as what somebody wrote beside the list
	const rows = [lineOf(newLabel()), 'rubbish-of-theirs', lineOf(newLabel())].join('\n');
	const claimed = await claimBatch(customer, rows, ACTOR);
	if (!claimed.ok) throw new Error(claimed.problem);
	const pattern = await savePattern(
		customer,
		{
			id: null,
			edit: 0,
			name: 'a pattern of theirs',
			note: '',
			siteValues: {},
			places: [{ id: null, name: 'a place of theirs', profileId: await firstOf('profile'), values: {} }]
		},
		ACTOR
	);
	if (!pattern.ok) throw new Error(pattern.problem);
	const photo = uuid();
	await unwalled()('day_entry').insert({
		id: photo,
		person_id: owner.id,
		customer_id: customer,
		site_id: site,
		kind: 'photo',
		photo: Buffer.from([0xff, 0xd8, 0xff]),
		done_at: new Date(),
		outcome: 'done'
	});
	const rule = await saveRule(
		{ customerId: customer, modelId: 'og-2', roleId: 'gateway', held: true },
		ACTOR
	);
	if (!rule.ok) throw new Error(rule.problem);
	const proposed = await newUnit('gateway', customerName);
	await unwalled()('binding_proposal').insert({
		unit_id: proposed.unitId,
		position_id: await openPosition('gateway', customerName),
		rule_id: rule.done.id,
		customer_id: customer
	});
	const reading = await dialogueWith(unit.unitId, customer, 'an answer of theirs');
	const elsewhere = await openPosition('router', customerName);
	const tunnel = await tunnelBetween(customer, unit.positionId, elsewhere);
	const ids: Ids = {
		reading,
		elsewhere,
		handover: await handoverAt(site, customer),
		...(await reportOf(owner.id, customer)),
		...(await connectorOf(owner.id, customer)),
		...(await driftAt(unit.positionId, unit.unitId, customer)),
		proof: await proofAt(site, customer, unit.positionId, unit.unitId),
		tunnel,
		secret: (await unwalled()('secret').where({ tunnel_id: tunnel }).first('id')).id,
		work: await workOf(owner.id, customer, 'work of theirs'),
		...(await rolloutOf(owner.id, unit, site, customer)),
		rule: rule.done.id,
		proposed: proposed.unitId,
		pattern: pattern.done.id,
		photo,
		customer,
		site,
		position: unit.positionId,
		unit: unit.unitId,
		run: unit.runId,
		batch: claimed.done.batchId,
		serial: unit.serial,
		pool: pool.done.id,
		allotment: (await unwalled()('allotment').where({ pool_id: pool.done.id }).first('id')).id,
		caller: String((await unwalled()('caller').where({ serial: unit.serial }).first('id')).id),
		session: owner.sessionId,
		person: owner.id,
		token:
			(await unwalled()('service_token').where('name', 'like', `%${customerName}%`).first('id'))?.id ?? uuid()
	};
	const marks = [
		customerName,
		name,
		unit.serial,
		unit.mac,
		'their words',
		'rubbish-of-theirs',
		'a label of theirs',
		owner.email,
		'tendon-maple-sky',
		'a pattern of theirs',
		'a place of theirs',
		'an answer of theirs',
		'work of theirs',
		'a report of theirs',
		'reports-of-theirs@example.test'
	];
	return { ids, marks };
}

/** A token that may do everything that tokens may, for one customer. */
export async function tokenFor(customer: string): Promise<string> {
	const wanted = {
		name: `walk of ${customer} ${uuid()}`,
		acts: TOKEN_ACTS,
		customers: [await customerId(customer)],
		days: 1
	};
	const act = await doneBy(await anAdministrator(), (actor) => createToken(wanted, actor));
	if (!act.ok) throw new Error(act.problem);
	return act.done.token;
}
