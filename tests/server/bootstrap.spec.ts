import { expect } from 'chai';
import { decodeConveyed, fromBase64, INPUT, ONBOARDING } from '../../src/core/bootstrap';
import { database } from '../../src/lib/server/database';
import { retryRun } from '../../src/lib/server/onboarding';
import {
	ACTOR,
	address,
	basic,
	boundUnit,
	invoke,
	newLabel,
	newUnit,
	OPERATIONS,
	report,
	runOf
} from './making';

const errorOf = async (response: Response) => {
	expect(response.headers.get('content-type')).to.equal('application/yang-data+json');
	return (await response.json())['ietf-restconf:errors'].error[0];
};
const ask = (unit: Parameters<typeof invoke>[1], input?: object) =>
	invoke('get-bootstrapping-data', unit, input && { [INPUT]: input });
const eventsOf = (runId: string) => database()('run_event').where({ run_id: runId }).orderBy('id');

describe('the bootstrap server', () => {
	it('is found by host-meta', async () => {
		const response = await fetch(address('/.well-known/host-meta'));
		expect(response.headers.get('content-type')).to.match(/^application\/xrd\+xml/);
		expect(await response.text()).to.include(`<Link rel='restconf' href='/restconf'/>`);
	});

	it('gives a bound unit what it is to become, with or without a body', async () => {
		const unit = await boundUnit();
		for (const response of [
			await ask(unit, {
				'hw-model': 'OG-2',
				'os-name': 'okapira-og',
				'os-version': '6.8.2',
				'signed-data-preferred': [null]
			}),
			await ask(unit)
		]) {
			expect(response.status).to.equal(200);
			const output = (await response.json())['ietf-sztp-bootstrap-server:output'];
			expect(output['reporting-level']).to.equal('verbose');
			const reading = decodeConveyed(output['conveyed-information']);
			if (!reading.ok || !(ONBOARDING in reading.information)) throw new Error('not readable');
			const onboarding = reading.information[ONBOARDING];
			expect(fromBase64(onboarding.configuration!))
				.to.match(/identity \{/)
				.and.match(/key "ssh-ed25519 /);
			const image = onboarding['boot-image']!;
			expect(image['os-version']).to.equal('7.0.3');
			const bytes = await fetch(image['download-uri']![0]!).then((answer) => answer.arrayBuffer());
			const digest = Buffer.from(await crypto.subtle.digest('SHA-256', bytes))
				.toString('hex')
				.replace(/(..)(?=.)/g, '$1:');
			expect(image['image-verification']![0]!['hash-value']).to.equal(digest);
		}
		expect(await runOf(unit.runId)).to.include({ step: 'calling', outcome: 'open' });
		expect((await database()('unit').where({ id: unit.unitId }).first()).reported_version).to.equal('6.8.2');
	});

	it('tells nobody whether a serial number is unknown, unbound or had a wrong code, and notes each at the door', async () => {
		const [bound, unbound, unknown] = [await boundUnit(), await newUnit(), newLabel()];
		const answers = await Promise.all(
			[{ ...bound, claimCode: 'WRONGCODE' }, unbound, { ...unbound, claimCode: 'WRONGCODE' }, unknown].map(
				async (one) => {
					const response = await ask(one);
					return {
						status: response.status,
						body: await response.text(),
						names: [...response.headers.keys()].sort().join()
					};
				}
			)
		);
		for (const answer of answers) expect(answer).to.deep.equal(answers[0]);
		expect(answers[0]!.status).to.equal(404);
		const reasons = async (serial: string) =>
			(await database()('caller').where({ serial }).orderBy('reason')).map(({ reason }) => reason);
		expect(await reasons(bound.serial)).to.deep.equal(['wrong-code']);
		expect(await reasons(unbound.serial)).to.deep.equal(['unbound', 'wrong-code']);
		expect(await reasons(unknown.serial)).to.deep.equal(['unknown']);
		expect(await runOf(bound.runId)).to.include({ step: 'bound', outcome: 'open' });
	});

	it('answers every wrong form with the RFC’s error', async () => {
		const unit = await boundUnit();
		const authorization = basic(unit.serial, unit.claimCode);
		const cases: [Response, number, string][] = [
			[await invoke('report-progress', null, {}), 401, 'access-denied'],
			[await invoke('report-progress', null, {}, { authorization: 'Basic !!!' }), 401, 'access-denied'],
			[
				await fetch(address(`${OPERATIONS}report-progress`), { headers: { authorization } }),
				405,
				'operation-not-supported'
			],
			[await invoke('report-progress', unit, '{'), 400, 'malformed-message'],
			[
				await invoke('report-progress', unit, '{}', { 'content-type': 'application/json' }),
				415,
				'invalid-value'
			],
			[await invoke('report-progress', unit), 400, 'missing-element'],
			[await invoke('report-progress', unit, { [INPUT]: {} }), 400, 'missing-element'],
			[
				await invoke('report-progress', unit, { [INPUT]: { 'progress-type': 'dancing' } }),
				400,
				'invalid-value'
			],
			[
				await invoke('report-progress', unit, { [INPUT]: { 'progress-type': 'informational', colour: 1 } }),
				400,
				'unknown-element'
			],
			[
				await invoke('report-progress', unit, {
					[INPUT]: { 'progress-type': 'informational', message: 'x'.repeat(100_000) }
				}),
				413,
				'too-big'
			],
			[await invoke('get-bootstrapping-data', unit, '[]'), 400, 'malformed-message'],
			[await invoke('get-bootstrapping-data', unit, 'null'), 400, 'malformed-message'],
			[await invoke('get-bootstrapping-data', unit, '7'), 400, 'malformed-message'],
			[await invoke('no-such-thing', unit, {}), 404, 'operation-not-supported']
		];
		for (const [response, status, tag] of cases) {
			const error = await errorOf(response);
			expect([response.status, error['error-tag']], error['error-message']).to.deep.equal([status, tag]);
		}
		expect(cases[0]![0].headers.get('www-authenticate')).to.match(/^Basic/);
		expect(await eventsOf(unit.runId)).to.be.empty;
	});

	it('stores every report once, in order, and moves the run as core says', async () => {
		const unit = await boundUnit();
		await ask(unit);
		const types = [
			'bootstrap-initiated',
			'parsing-initiated',
			'parsing-complete',
			'config-initiated',
			'config-complete',
			'config-complete',
			'parsing-warning',
			'bootstrap-complete'
		];
		for (const type of types)
			expect((await report(unit, type, { message: `said ${type}` })).status).to.equal(204);
		const events = await eventsOf(unit.runId);
		expect(events.map(({ progress_type }) => progress_type)).to.deep.equal([null, ...types]);
		expect(events.at(-1)).to.include({
			words: 'said bootstrap-complete',
			step_before: 'configuration',
			step_after: 'proof'
		});
		expect(await runOf(unit.runId)).to.include({ step: 'proof', outcome: 'open' });
	});

	it('takes a hundred reports at once without losing or repeating one', async () => {
		const units = [await boundUnit(), await boundUnit('router', 'Pippin & Loaf')];
		for (const unit of units) await ask(unit);
		const sent = Array.from({ length: 100 }, (_, index) =>
			report(units[index % 2]!, 'informational', { message: `n ${index}` })
		);
		expect(new Set((await Promise.all(sent)).map(({ status }) => status))).to.deep.equal(new Set([204]));
		const words = (
			await database()('run_event')
				.whereIn(
					'run_id',
					units.map(({ runId }) => runId)
				)
				.where({ progress_type: 'informational' })
		).map((event) => event.words);
		expect(words.sort()).to.deep.equal(Array.from({ length: 100 }, (_, index) => `n ${index}`).sort());
	});

	it('fails a run by the unit’s own words, holds it at the door, and lets it in again on a person’s word', async () => {
		const unit = await boundUnit();
		await ask(unit);
		await report(unit, 'config-error', { message: 'line 3: no\u0000thing \u202e like that' });
		await report(unit, 'bootstrap-complete');
		expect(await runOf(unit.runId)).to.include({
			outcome: 'failed',
			failure_kind: 'config-error',
			failure_words: 'line 3: no\uFFFDthing \uFFFD like that'
		});
		expect((await ask(unit)).status).to.equal(404);
		expect(await database()('caller').where({ serial: unit.serial, reason: 'held' })).to.have.lengthOf(1);
		await retryRun(unit.positionId, ACTOR);
		expect((await ask(unit)).status).to.equal(200);
	});

	it('gives nothing when values are missing, names them all, and goes on once they are there', async () => {
		const unit = await boundUnit('gateway', 'Southfold Physio');
		const before = await database()('position').where({ id: unit.positionId }).first();
		await database()('position').where({ id: unit.positionId }).update({ values: {} });
		expect((await ask(unit)).status).to.equal(404);
		const failed = await runOf(unit.runId);
		expect(failed).to.include({ outcome: 'failed', failure_kind: 'withheld' });
		// What is computed of what is missing is not named as well
		expect(failed.failure_words).to.equal('“hostname” has no value. “networks” has no value.');
		await database()('position').where({ id: unit.positionId }).update({ values: before.values });
		await retryRun(unit.positionId, ACTOR);
		expect((await ask(unit)).status).to.equal(200);
	});

	it('begins a new run for a unit that was online and asks again, one however many ask', async () => {
		const unit = await boundUnit();
		await ask(unit);
		for (const step of ['proof', 'online'])
			await database()('run')
				.where({ id: unit.runId })
				.update({ step, ...(step === 'online' && { outcome: 'through', ended_at: new Date() }) });
		await Promise.all([ask(unit), ask(unit), ask(unit)]);
		const runs = await database()('run').where({ position_id: unit.positionId }).orderBy('number');
		expect(runs.map(({ number, outcome }) => [number, outcome])).to.deep.equal([
			[1, 'through'],
			[2, 'open']
		]);
	});

	it('does not let one unit take another’s host key', async () => {
		const [one, two] = [await boundUnit(), await boundUnit()];
		const key = {
			'ssh-host-keys': {
				'ssh-host-key': [
					{ algorithm: 'ssh-ed25519', 'key-data': Buffer.from(`key ${one.serial}`).toString('base64') }
				]
			}
		};
		for (const unit of [one, two]) {
			await ask(unit);
			expect((await report(unit, 'bootstrap-complete', key)).status).to.equal(204);
		}
		const keys = await database()('unit').whereIn('id', [one.unitId, two.unitId]).select('id', 'host_key');
		expect(keys.find(({ id }) => id === two.unitId)!.host_key).to.equal(null);
		expect((await eventsOf(two.runId)).at(-1)!.words).to.match(/another unit already has this host key/);
	});
});
