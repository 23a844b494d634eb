import { randomBytes } from 'node:crypto';
import { deflateRawSync } from 'node:zlib';
import { v7 as uuid } from 'uuid';
import { claimBatch } from '../../src/lib/server/intake';
import { saveRule } from '../../src/lib/server/binding';
import { createPool, importUsed, savePattern } from '../../src/lib/server/plan';
import { seal } from '../../src/lib/server/keys';
import { ensureOwnerKey } from '../../src/lib/server/signing';
import { createToken, TOKEN_ACTS } from '../../src/lib/server/people';
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
} from './making';

/** The ids a request can ask by; the same shape for theirs and for nothing. */
export interface Ids {
	readonly customer: string;
	readonly site: string;
	readonly position: string;
	readonly unit: string;
	readonly run: string;
	readonly batch: string;
	readonly serial: string;
	readonly session: string;
	readonly person: string;
	readonly token: string;
	readonly pool: string;
	readonly allotment: string;
	readonly caller: string;
	readonly pattern: string;
	readonly photo: string;
	readonly rule: string;
	readonly proposed: string;
	readonly reading: string;
	readonly work: string;
	readonly tunnel: string;
	readonly secret: string;
	readonly change: string;
	readonly proof: string;
	readonly handover: string;
	readonly version: string;
	readonly finding: string;
	readonly alert: string;
	readonly alertRule: string;
	readonly rollout: string;
	readonly target: string;
	readonly cohort: string;
	readonly replacement: string;
	readonly takeOn: string;
	readonly login: string;
	readonly survey: string;
	readonly report: string;
	readonly schedule: string;
	readonly connector: string;
	/** A comparison of that connector. */
	readonly comparison: string;
	/** Another position of theirs. */
	readonly elsewhere: string;
}

export const firstOf = async (table: string): Promise<string> =>
	(await unwalled()(table).orderBy('name').first('id')).id;

/** Ids of nothing at all. */
export const nothing = (): Ids => ({
	customer: uuid(),
	site: uuid(),
	position: uuid(),
	unit: uuid(),
	run: uuid(),
	batch: uuid(),
	serial: newLabel().serial,
	session: uuid(),
	person: uuid(),
	token: uuid(),
	pool: uuid(),
	allotment: uuid(),
	caller: '999999999',
	pattern: uuid(),
	photo: uuid(),
	rule: uuid(),
	proposed: uuid(),
	reading: uuid(),
	work: uuid(),
	tunnel: uuid(),
	secret: uuid(),
	change: uuid(),
	proof: uuid(),
	handover: uuid(),
	version: uuid(),
	finding: uuid(),
	alert: uuid(),
	alertRule: uuid(),
	rollout: uuid(),
	target: uuid(),
	cohort: uuid(),
	replacement: uuid(),
	takeOn: uuid(),
	survey: uuid(),
	report: uuid(),
	schedule: uuid(),
	connector: uuid(),
	comparison: uuid(),
	login: uuid(),
	elsewhere: uuid()
});

/** A connector of theirs, with what its source said last. */
async function connectorOf(personId: string, customerId: string) {
	const [connector, comparison] = [uuid(), uuid()];
	await unwalled()('connector').insert({
		...{
			id: connector,
			customer_id: customerId,
			name: 'a connector of theirs',
			kind: 'sites',
			person_id: personId
		},
		...{ stated_by: 'tests', mapping: JSON.stringify({ key: 'id', columns: [{ from: 'name', to: 'site' }] }) }
	});
	await unwalled()('connector_run').insert({
		...{
			id: comparison,
			connector_id: connector,
			customer_id: customerId,
			asked_by: 'tests',
			state: 'compared'
		},
		ended_at: new Date()
	});
	const row = { run_id: comparison, customer_id: customerId, key: 'x', name: 'a record of theirs' };
	await unwalled()('connector_row').insert([
		{ ...row, ordinal: 1, verdict: 'new', base: JSON.stringify({ site: 'a site of theirs' }) },
		{ ...row, ordinal: 2, verdict: 'conflict', differences: '[]' }
	]);
	return { connector, comparison };
}

/** A report of one of its people that was sent by a schedule, with its letter and a file. */
async function reportOf(personId: string, customerId: string) {
	const [report, schedule] = [uuid(), uuid()];
	const choice = { customer: customerId, cohort: null, parts: ['inventory'], figures: ['trip'] };
	const recipients = ['reports-of-theirs@example.test'];
	await unwalled()('report_schedule').insert({
		id: schedule, name: 'a report of theirs', customer_id: customerId, person_id: personId, stated_by: 'tests', choice: JSON.stringify(choice),
		every: 'month', on_day: 1, hour: 7, zone: 'UTC', recipients, is_on: false
	}); // prettier-ignore
	await unwalled()('report').insert({
		id: report, schedule_id: schedule, day: '2026-11-01', customer_id: customerId, person_id: personId, asked_by: 'tests', zone: 'UTC', recipients,
		asked: JSON.stringify({ ...choice, from: '2026-10-01', to: '2026-10-31' }), state: 'made', made_at: new Date(), keep_until: '2099-01-01',
		document: JSON.stringify({ customer: 'x', title: 'a report of theirs', subtitle: 'x', foot: '', blocks: [] })
	}); // prettier-ignore
	await unwalled()('report_file').insert({
		report_id: report,
		kind: 'csv',
		content: Buffer.from('a report of theirs')
	});
	await unwalled()('mail').insert({
		to_address: recipients[0],
		subject: 'x',
		text: '',
		sent_at: new Date(),
		report_id: report
	});
	return { report, schedule };
}

/** Long work that one of its people began and that is over. */
async function workOf(personId: string, customerId: string, title: string): Promise<string> {
	const id = uuid();
	const whose = { customer_id: customerId };
	await unwalled()('long_work').insert({
		...whose,
		id,
		kind: 'try again',
		title,
		person_id: personId,
		actor: 'Somebody of theirs',
		total: 1,
		failed: 1,
		state: 'done',
		ended_at: new Date()
	});
	await unwalled()('long_work_item').insert({
		...whose,
		work_id: id,
		ordinal: 1,
		subject: title,
		about: '{}',
		state: 'failed'
	});
	return id;
}

/** A rollout that one of their people has planned for one of their units, and a firmware target of theirs. */
async function rolloutOf(
	personId: string,
	unit: { unitId: string; positionId: string },
	site: string,
	customer: string
) {
	const [rollout, target, cohort, replacement, takeOn, login, survey] = Array.from({ length: 7 }, () =>
		uuid()
	) as [string, string, string, string, string, string, string];
	await unwalled()('rollout').insert({
		id: rollout,
		title: 'work of theirs',
		kind: 'restart',
		customer_id: customer,
		person_id: personId,
		actor: 'Somebody of theirs'
	});
	await unwalled()('rollout_item').insert({
		rollout_id: rollout,
		unit_id: unit.unitId,
		position_id: unit.positionId,
		site_id: site,
		customer_id: customer,
		model_id: (await unwalled()('unit').where({ id: unit.unitId }).first('model_id')).model_id,
		ordinal: 1,
		is_front: true,
		takes: '1 minute'
	});
	await unwalled()('firmware_target').insert({
		id: target,
		customer_id: customer,
		firmware_line: 'okapira-og',
		version: '7.0.3',
		reason: 'their words',
		by_whom: 'Somebody of theirs'
	});
	await unwalled()('cohort').insert({
		id: cohort,
		customer_id: customer,
		name: 'work of theirs',
		rule: '',
		by_whom: 'Somebody of theirs'
	});
	await unwalled()('replacement').insert({
		id: replacement,
		customer_id: customer,
		name: 'work of theirs',
		rule: 'q=nothing',
		model_id: 'og-8',
		by_whom: 'Somebody of theirs',
		looked_at: new Date()
	});
	await unwalled()('take_on').insert({
		id: takeOn,
		customer_id: customer,
		name: 'work of theirs',
		by_whom: 'Somebody of theirs'
	});
	await unwalled()('login').insert({
		id: login,
		customer_id: customer,
		name: 'work of theirs',
		user_name: 'x',
		login: seal('{}'),
		ranges: ['10.9.9.0/24'],
		by_whom: 'Somebody of theirs'
	});
	await unwalled()('survey').insert({
		id: survey,
		customer_id: customer,
		name: 'work of theirs',
		begins: ['10.9.9.1'],
		ranges: ['10.9.9.0/24'],
		deepest: 1,
		at_once: 1,
		per_second: 1,
		minutes: 1,
		every: 'never',
		by_whom: 'Somebody of theirs'
	});
	const run = uuid();
	await unwalled()('survey_run').insert({
		id: run,
		survey_id: survey,
		customer_id: customer,
		by_whom: 'Somebody of theirs',
		state: 'done',
		ends_at: new Date(),
		ended_at: new Date()
	});
	await unwalled()('survey_address').insert({
		run_id: run,
		customer_id: customer,
		address: '10.9.9.1',
		depth: 0,
		state: 'done',
		outcome: 'in',
		words: 'their words'
	});
	await unwalled()('survey_station').insert({
		run_id: run,
		customer_id: customer,
		at_address: '10.9.9.1',
		mac: '06:00:00:00:00:01',
		port: 'p'
	});
	await unwalled()('survey_spot').insert({
		survey_id: survey,
		customer_id: customer,
		kind: 'group',
		key: 'theirs',
		x: 1,
		y: 1
	});
	const change = uuid();
	await unwalled()('small_change').insert({ id: change, person_id: personId, positions: [unit.positionId] });
	return { rollout, target, cohort, replacement, takeOn, login, survey, change };
}

/** A handover of theirs, with their words in it. */
async function handoverAt(site: string, customer: string): Promise<string> {
	await ensureOwnerKey();
	const id = uuid();
	const octets = Buffer.from('their words');
	await unwalled()('handover').insert({
		id,
		site_id: site,
		customer_id: customer,
		number: 1,
		made_at: new Date(),
		made_by: 'Somebody of theirs',
		state: 'held',
		open_points: 0,
		accepted_by: 'their words',
		key_id: (await unwalled()('owner_key').whereNull('retired_at').first('id')).id,
		record: octets,
		record_signature: octets,
		record_sha256: '0'.repeat(64),
		pdf: octets,
		pdf_signature: octets
	});
	return id;
}

/** A proof of theirs that is over, with one check. */
async function proofAt(site: string, customer: string, position: string, unit: string): Promise<string> {
	const id = uuid();
	const ended = { state: 'failed', ended_at: new Date() };
	await unwalled()('site_proof').insert({ id, site_id: site, customer_id: customer, why: 'due', ...ended });
	await unwalled()('site_check').insert({
		proof_id: id,
		ordinal: 1,
		customer_id: customer,
		position_id: position,
		unit_id: unit,
		kind: 'clock',
		expects: '{"kind":"clock","seconds":1}',
		words: 'their words',
		state: 'fails',
		ended_at: new Date()
	});
	return id;
}

/** What a unit of theirs ran, and a difference that was found in it. */
async function driftAt(
	position: string,
	unit: string,
	customer: string
): Promise<{ version: string; finding: string; alert: string; alertRule: string }> {
	const [version, finding, look, alert, alertRule] = [uuid(), uuid(), uuid(), uuid(), uuid()];
	const whose = { unit_id: unit, customer_id: customer, position_id: position };
	const at = new Date();
	const hash = Buffer.alloc(32, 7);
	await unwalled()('archive_version').insert({
		...whose,
		id: version,
		number: 1,
		at,
		seen_at: at,
		how: 'first',
		digest: hash,
		packed: deflateRawSync('their words'),
		is_whole: true,
		secrets: seal('[]'),
		lines: 1,
		bytes: 11
	});
	await unwalled()('archive_words').insert({
		unit_id: unit,
		customer_id: customer,
		words: ['their', 'words', 'port']
	});
	await unwalled()('drift_look').insert({
		...whose,
		id: look,
		at,
		why: 'due',
		version_id: version,
		intended: hash,
		state: 'differs',
		findings: 1
	});
	await unwalled()('unit_drift').insert({
		...whose,
		look_id: look,
		state: 'differs',
		looked_at: at,
		since: at
	});
	await unwalled()('finding').insert({
		...whose,
		id: finding,
		key: hash,
		same: randomBytes(32),
		kind: 'extra',
		path: [],
		runs: 'their words',
		touches: 'nothing of these',
		dialect: 'braced',
		since: at,
		found_at: at
	});
	await unwalled()('alert_rule').insert({
		id: alertRule,
		customer_id: customer,
		name: 'their words',
		rule: JSON.stringify({ about: 'not heard', minutes: 1440 }),
		made_by: 'Somebody of theirs'
	});
	await unwalled()('alert').insert({
		id: alert,
		unit_id: unit,
		customer_id: customer,
		kind: 'changed outside',
		words: 'their words'
	});
	await unwalled()('event').insert({
		id: uuid(),
		unit_id: unit,
		customer_id: customer,
		severity: 5,
		facility: 16,
		app: 'theirs',
		kind: '',
		words: 'their words',
		form: 'rfc5424'
	});
	return { version, finding, alert, alertRule };
}

/** A tunnel as it is planned, without a pool. */
async function tunnelBetween(customer: string, near: string, far: string): Promise<string> {
	const id = uuid();
	await unwalled()('tunnel').insert({
		id,
		customer_id: customer,
		name: `walk-${id.slice(-8)}`,
		near_position: near,
		far_position: far,
		block: '10.254.0.0/31',
		secret: seal('a secret of theirs')
	});
	return id;
}

/** As if a unit had been asked something and had answered; the id of the reading that is kept of it. */
async function dialogueWith(unitId: string, customerId: string, words: string): Promise<string> {
	const [errand, reading] = [uuid(), uuid()];
	const whose = { unit_id: unitId, customer_id: customerId };
	const now = new Date();
	await unwalled()('errand').insert({
		...whose,
		id: errand,
		kind: 'read',
		state: 'done',
		deadline: now,
		ended_at: now,
		attempts: 1
	});
	const content = seal(words);
	await unwalled()('reading').insert({
		...whose,
		id: reading,
		errand_id: errand,
		kind: 'configuration',
		kept_at: now,
		content,
		bytes: words.length
	});
	await unwalled()('dialogue').insert({
		...whose,
		errand_id: errand,
		at: now,
		speaker: 'unit',
		words,
		reading_id: reading,
		bytes: words.length
	});
	return reading;
}

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
	const claimed = await claimBatch(customer, `${lineOf(newLabel())}\nrubbish of theirs`, ACTOR);
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
		'rubbish of theirs',
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
