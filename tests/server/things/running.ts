import { randomBytes } from 'node:crypto';
import { deflateRawSync } from 'node:zlib';
import { v7 as uuid } from 'uuid';
import { seal } from '../../../src/lib/server/keys';
import { unwalled } from '../making';

/** A rollout that one of their people has planned for one of their units, and a firmware target of theirs. */
export async function rolloutOf(
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

/** What a unit of theirs ran, and a difference that was found in it. */
export async function driftAt(
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
export async function tunnelBetween(customer: string, near: string, far: string): Promise<string> {
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
export async function dialogueWith(unitId: string, customerId: string, words: string): Promise<string> {
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
