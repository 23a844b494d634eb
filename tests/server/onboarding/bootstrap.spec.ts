import { expect } from 'chai';
import { decodeConveyed, fromBase64, INPUT, ONBOARDING } from '../../../src/core/bootstrap';
import { callersAtDoor } from '../../../src/lib/server/door';
import { retryRun } from '../../../src/lib/server/binding';
import {
	ACTOR,
	address,
	basic,
	boundUnit,
	invoke,
	newLabel,
	newUnit,
	OPERATIONS,
	overTls,
	report,
	runOf,
	unwalled
} from '../making';

const errorOf = async (response: Response) => {
	expect(response.headers.get('content-type')).to.equal('application/yang-data+json');
	return (await response.json())['ietf-restconf:errors'].error[0];
};
const ask = (unit: Parameters<typeof invoke>[1], input?: object) =>
	invoke('get-bootstrapping-data', unit, input && { [INPUT]: input });
const eventsOf = (runId: string) => unwalled()('run_event').where({ run_id: runId }).orderBy('id');

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
				'os-version': '6.8.2'
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
		expect((await unwalled()('unit').where({ id: unit.unitId }).first()).reported_version).to.equal('6.8.2');
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
			(await unwalled()('caller').where({ serial }).orderBy('reason')).map(({ reason }) => reason);
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
				await overTls(`${OPERATIONS}report-progress`, { headers: { authorization } }),
				405,
				'operation-not-supported'
			],
			[await invoke('report-progress', unit, '{'), 400, 'malformed-message'],
			[
				await invoke('report-progress', unit, '{}', { 'content-type': 'application/json' }),
				415,
				'invalid-value'
			],
			...(await Promise.all(
				// A browser could send these forms by itself: they are a unit's mistake all the same
				['', 'text/plain', 'application/x-www-form-urlencoded', 'multipart/form-data; boundary=x'].map(
					async (type): Promise<[Response, number, string]> => [
						await invoke('report-progress', unit, '{}', { 'content-type': type }),
						415,
						'invalid-value'
					]
				)
			)),
			[await overTls('/restconf/nothing/here', { method: 'POST' }), 404, 'invalid-value'],
			[await overTls('/restconf/nothing', {}), 404, 'invalid-value'],
			[await overTls('/restconf/data', { method: 'DELETE' }), 405, 'operation-not-supported'],
			[
				await invoke('get-bootstrapping-data', unit, {}, { accept: 'application/yang-data+xml' }),
				406,
				'invalid-value'
			],
			[
				await invoke(
					'get-bootstrapping-data',
					unit,
					{},
					{ accept: 'application/*, application/yang-data+json;q=0' }
				),
				406,
				'invalid-value'
			],
			...(await Promise.all(
				[15, 33].map(async (octets): Promise<[Response, number, string]> => [
					await invoke('get-bootstrapping-data', unit, {
						[INPUT]: { nonce: Buffer.alloc(octets, 1).toString('base64') }
					}),
					400,
					'invalid-value'
				])
			)),
			[
				await invoke('get-bootstrapping-data', unit, { [INPUT]: { nonce: 'bm90IGJhc2U2NCE' } }),
				400,
				'invalid-value'
			],
			[
				await invoke('get-bootstrapping-data', unit, { [INPUT]: { 'hw-model': 'x'.repeat(300) } }),
				400,
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
					[INPUT]: { 'progress-type': 'informational', message: 'x'.repeat(1_100_000) }
				}),
				413,
				'too-big'
			],
			[await invoke('get-bootstrapping-data', unit, '[]'), 400, 'malformed-message'],
			[await invoke('get-bootstrapping-data', unit, 'null'), 400, 'malformed-message'],
			[await invoke('get-bootstrapping-data', unit, '7'), 400, 'malformed-message'],
			[await invoke('no-such-thing', unit, {}), 404, 'invalid-value']
		];
		for (const [response, status, tag] of cases) {
			const error = await errorOf(response);
			expect([response.status, error['error-tag']], error['error-message']).to.deep.equal([status, tag]);
		}
		expect(cases[2]![0].headers.get('allow')).to.equal('POST, OPTIONS');
		expect(cases[0]![0].headers.get('www-authenticate')).to.match(/^Basic/);
		expect(await eventsOf(unit.runId)).to.be.empty;
	});

	it('says what it is to whoever asks RESTCONF’s way', async () => {
		const read = async (path: string) => (await overTls(`/restconf${path}`, {})).json();
		expect(await read('')).to.deep.equal({
			'ietf-restconf:restconf': { data: {}, operations: {}, 'yang-library-version': '2016-06-21' }
		});
		expect(await read('/yang-library-version')).to.deep.equal({
			'ietf-restconf:yang-library-version': '2016-06-21'
		});
		expect(Object.keys((await read('/operations'))['ietf-restconf:operations'])).to.deep.equal([
			'ietf-sztp-bootstrap-server:get-bootstrapping-data',
			'ietf-sztp-bootstrap-server:report-progress'
		]);
		const { module } = (await read('/data/ietf-yang-library:modules-state'))[
			'ietf-yang-library:modules-state'
		];
		expect(module.map(({ name }: { name: string }) => name)).to.include('ietf-sztp-bootstrap-server');
		for (const [path, allow] of [
			['/restconf', 'GET, HEAD, OPTIONS'],
			[`${OPERATIONS}report-progress`, 'POST, OPTIONS']
		] as const) {
			const options = await overTls(path, { method: 'OPTIONS' });
			expect([options.status, options.headers.get('allow')]).to.deep.equal([200, allow]);
		}
	});

	it('keeps what a unit reports of an error, however long and however broken', async () => {
		const unit = await boundUnit();
		await ask(unit);
		const input = (type: string, message: string) =>
			JSON.stringify({ [INPUT]: { 'progress-type': type, message } });
		const sent = [
			await invoke('report-progress', unit, input('config-warning', 'w'.repeat(200_000))),
			await invoke('report-progress', unit, Buffer.from(input('config-error', 'line 3: \u00ff'), 'latin1'))
		];
		expect(sent.map(({ status }) => status)).to.deep.equal([204, 204]);
		const [, long, broken] = await eventsOf(unit.runId);
		expect(long.words).to.match(/^w{16000} \(and 184000 characters more\)$/);
		expect(broken.words).to.equal('line 3: \uFFFD');
		const asked = Buffer.from(JSON.stringify({ [INPUT]: { 'hw-model': '\u00ff' } }), 'latin1');
		const refused = await invoke('get-bootstrapping-data', await boundUnit(), asked);
		expect([refused.status, (await errorOf(refused))['error-tag']]).to.deep.equal([400, 'malformed-message']);
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
			await unwalled()('run_event')
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
		expect(await unwalled()('caller').where({ serial: unit.serial, reason: 'held' })).to.have.lengthOf(1);
		await retryRun(unit.positionId, ACTOR);
		expect((await ask(unit)).status).to.equal(200);
	});

	it('gives nothing when values are missing, names them all, and goes on once they are there', async () => {
		const unit = await boundUnit('gateway', 'Southfold Physio');
		const before = await unwalled()('position').where({ id: unit.positionId }).first();
		await unwalled()('position').where({ id: unit.positionId }).update({ values: {} });
		expect((await ask(unit)).status).to.equal(404);
		const failed = await runOf(unit.runId);
		expect(failed).to.include({ outcome: 'failed', failure_kind: 'withheld' });
		// What is computed of what is missing is not named as well
		expect(failed.failure_words).to.equal('“hostname” has no value. “networks” has no value.');
		await unwalled()('position').where({ id: unit.positionId }).update({ values: before.values });
		await retryRun(unit.positionId, ACTOR);
		expect((await ask(unit)).status).to.equal(200);
	});

	/** The run as a proof would leave it, without a unit that dials home. */
	async function through({ runId }: { runId: string }): Promise<void> {
		for (const step of ['proof', 'online'])
			await unwalled()('run')
				.where({ id: runId })
				.update({ step, ...(step === 'online' && { outcome: 'through', ended_at: new Date() }) });
	}

	it('gives a unit that is online nothing again but on a person’s word', async () => {
		const unit = await boundUnit();
		await ask(unit);
		await through(unit);
		for (const answer of await Promise.all([ask(unit), ask(unit), ask(unit)]))
			expect(answer.status).to.equal(404);
		expect((await runOf(unit.runId)).outcome).to.equal('through');
		const [caller] = (await callersAtDoor(null, 500)).filter(({ unitId }) => unitId === unit.unitId);
		expect(caller).to.include({ reason: 'held', calls: 3, beginsAnewAt: unit.positionId });
		const act = await retryRun(unit.positionId, ACTOR);
		if (!act.ok) throw new Error(act.problem);
		expect((await ask(unit)).status).to.equal(200);
		expect(await retryRun(unit.positionId, ACTOR)).to.include({ ok: false });
		expect((await callersAtDoor(null, 500)).some(({ unitId }) => unitId === unit.unitId)).to.equal(false);
	});

	const keysOf = (...names: string[]) => ({
		'ssh-host-keys': {
			'ssh-host-key': names.map((name) => ({
				algorithm: 'ssh-ed25519',
				'key-data': Buffer.from(`key ${name}`).toString('base64')
			}))
		}
	});
	const known = (unitId: string): Promise<string[]> =>
		unwalled()('unit_host_key')
			.where({ unit_id: unitId })
			.pluck('key')
			.then((keys) => keys.map((key) => Buffer.from(key, 'base64').toString().slice(4)).sort());

	it('knows all host keys that a unit reports, and enters a change of them in the ledger', async () => {
		const unit = await boundUnit();
		await ask(unit);
		await report(
			unit,
			'bootstrap-complete',
			keysOf(`${unit.serial} a`, `${unit.serial} b`, `${unit.serial} a`)
		);
		expect(await known(unit.unitId)).to.deep.equal([`${unit.serial} a`, `${unit.serial} b`]);
		await report(unit, 'bootstrap-complete', keysOf(`${unit.serial} b`, `${unit.serial} a`));
		const entries = () =>
			unwalled()('ledger_entry').where({ subject_id: unit.unitId, act: 'change host key' });
		expect(await entries()).to.have.lengthOf(0);
		await report(unit, 'bootstrap-complete', keysOf(`${unit.serial} c`));
		expect(await known(unit.unitId)).to.deep.equal([`${unit.serial} c`]);
		const [entry] = await entries();
		expect(entry.words).to.match(/has other host keys: SHA256:\S+; before SHA256:\S+, SHA256:\S+\.$/);
		expect((await eventsOf(unit.runId)).at(-1)!.words).to.include('has other host keys');
	});

	it('takes no host key of a unit whose run has ended, and says so', async () => {
		const unit = await boundUnit();
		await ask(unit);
		await report(unit, 'bootstrap-complete', keysOf(unit.serial));
		await through(unit);
		expect((await report(unit, 'bootstrap-complete', keysOf('whoever read the label'))).status).to.equal(204);
		expect(await known(unit.unitId)).to.deep.equal([unit.serial]);
		expect((await eventsOf(unit.runId)).at(-1)!.words).to.match(/did not take its host keys/);
	});

	it('is not spoken to in the clear', async () => {
		const unit = await boundUnit();
		const answer = await fetch(address(`${OPERATIONS}get-bootstrapping-data`), {
			method: 'POST',
			headers: { authorization: basic(unit.serial, unit.claimCode) }
		});
		expect(answer.status).to.equal(403);
		expect((await answer.json())['ietf-restconf:errors'].error[0]['error-tag']).to.equal('access-denied');
		expect((await runOf(unit.runId)).step).to.equal('bound');
	});

	it('does not let one unit take another’s host key', async () => {
		const [one, two] = [await boundUnit(), await boundUnit()];
		const key = keysOf(one.serial);
		for (const unit of [one, two]) {
			await ask(unit);
			expect((await report(unit, 'bootstrap-complete', key)).status).to.equal(204);
		}
		expect([await known(one.unitId), await known(two.unitId)]).to.deep.equal([[one.serial], []]);
		expect((await eventsOf(two.runId)).at(-1)!.words).to.match(/another unit already has this host key/);
	});
});
