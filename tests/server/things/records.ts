import { v7 as uuid } from 'uuid';
import { ensureOwnerKey } from '../../../src/lib/server/signing';
import { unwalled } from '../making';

/** A connector of theirs, with what its source said last. */
export async function connectorOf(personId: string, customerId: string) {
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
export async function reportOf(personId: string, customerId: string) {
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
export async function workOf(personId: string, customerId: string, title: string): Promise<string> {
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

/** A handover of theirs, with their words in it. */
export async function handoverAt(site: string, customer: string): Promise<string> {
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
export async function proofAt(
	site: string,
	customer: string,
	position: string,
	unit: string
): Promise<string> {
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
