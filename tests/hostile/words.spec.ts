import { expect } from 'chai';
import ssh2 from 'ssh2';
import { v7 as uuid } from 'uuid';
import { INPUT } from '../../src/core/bootstrap';
import { callHomeKey } from '../../src/lib/server/keys';
import { currentSettings } from '../../src/lib/server/settings';
import { dialHome, newHostKey } from '../../standins/units/home';
import { address, boundUnit, invoke, newPerson, report, runOf, unwalled } from '../server/making';
import { survives } from './attack';

const ODD = ['7.0\0.3', '\ud800', '\u202e7.0.3', '\u001b[2J', '\uffff', '{{ 7 }}', "'; drop table unit --"];

describe('what units and phones say', () => {
	it('is cleaned when they ask and report, whatever it holds', () =>
		survives(async () => {
			const unit = await boundUnit();
			for (const text of ODD) {
				const asked = await invoke('get-bootstrapping-data', unit, {
					[INPUT]: { 'os-version': text, 'hw-model': text, 'os-name': text }
				});
				expect(asked.status, JSON.stringify(text)).to.equal(200);
				expect((await report(unit, 'informational', { message: text })).status).to.equal(204);
			}
			const events = await unwalled()('run_event').where({ run_id: unit.runId });
			// eslint-disable-next-line no-control-regex -- what must not be there
			for (const { words } of events) expect(words).to.not.match(/[\0\u001b\u202e\ud800]/);
		}));

	it('is cleaned when it comes over SSH', () =>
		survives(async () => {
			const unit = await boundUnit();
			const hostKey = newHostKey();
			const parsed = ssh2.utils.parseKey(hostKey);
			if (parsed instanceof Error) throw parsed;
			const key = (Array.isArray(parsed) ? parsed[0] : parsed).getPublicSSH().toString('base64');
			await invoke('get-bootstrapping-data', unit);
			await report(unit, 'bootstrap-complete', {
				'ssh-host-keys': { 'ssh-host-key': [{ algorithm: 'ssh-ed25519', 'key-data': key }] }
			});
			const life = new AbortController();
			const home = {
				host: '127.0.0.1',
				port: currentSettings().LIMEN_CALL_HOME_PORT,
				user: 'limen',
				key: callHomeKey().public,
				accounts: []
			};
			const connection = dialHome(
				home,
				hostKey,
				(command) =>
					command === 'tell release'
						? 'running release 7\0.0\u0007.3;\n'
						: `hostname "\0\u202e";\n${'/* '.repeat(100_000)}`,
				() => undefined,
				life.signal
			);
			// The run ends by itself: its proof has failed
			while ((await runOf(unit.runId)).outcome === 'open')
				await new Promise((resolve) => setImmediate(resolve));
			life.abort();
			await connection;
			expect(await runOf(unit.runId)).to.include({ outcome: 'failed', failure_kind: 'proof' });
		}));

	it('of a phone is refused when its dates are of no time', () =>
		survives(async () => {
			const technician = await newPerson({ 'Marlstone Veterinary': 'technician' });
			for (const at of [
				8.64e15,
				-1,
				1e300,
				Number.MAX_SAFE_INTEGER,
				8_220_000_000_000_000,
				null,
				'x',
				Date.UTC(2099, 0)
			]) {
				const answer = await fetch(address('/day/sync'), {
					method: 'POST',
					headers: { cookie: technician.cookie, origin: address(''), 'content-type': 'application/json' },
					body: JSON.stringify({
						now: 0,
						entries: [{ id: uuid(), kind: 'note', at, siteId: uuid(), positionId: null, text: 'a\0b' }]
					})
				});
				expect(answer.status, String(at)).to.be.below(500);
			}
		}));
});
