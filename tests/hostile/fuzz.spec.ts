import { expect } from 'chai';
import fc from 'fast-check';
import pg from 'pg';
import { firstBroken } from '../../command/running/keep';
import { ownerUrl } from '../../src/lib/server/database';
import { removeRule } from '../../src/lib/server/binding';
import { issue } from '../../src/core/trust';
import { currentSettings } from '../../src/lib/server/settings';
import {
	ACTOR,
	address,
	boundUnit,
	customerId,
	invoke,
	lineOf,
	newLabel,
	newPerson,
	OPERATIONS,
	type TestPerson,
	unwalled
} from '../server/making';
import { secure } from '../server/secure';
import { nothing, thingsOf, tokenFor, type Ids } from '../server/things';
import { WALK } from '../server/walk';
import { workbook } from '../server/workbook';
import { PORTS, request, send, statusOf, survives } from './attack';
import { hostileText, mutation, changing } from './mutations';

/** How long all of it goes on; `./limen test hostile --minutes 30` makes it longer. */
const MINUTES = Number(process.env.LIMEN_HOSTILE_MINUTES ?? '0.4');
/** What fails is found again with the seed that it is reported with. */
const SEED = process.env.LIMEN_HOSTILE_SEED;
const OURS = 'Marlstone Veterinary';
const THEIRS = 'Southfold Physio';

/**
 * Tries one after another for a share of the time. What is under way when the time is over is finished: it
 * may have changed something, such as how requests are sent.
 */
async function fuzz<Given extends readonly unknown[]>(
	share: number,
	given: fc.Arbitrary<Given>,
	run: (...given: Given) => Promise<void>
): Promise<void> {
	let last = Promise.resolve();
	await fc.assert(
		fc.asyncProperty(given, (one) => (last = run(...one))),
		{
			numRuns: 1_000_000,
			interruptAfterTimeLimit: MINUTES * share * 60_000,
			endOnFailure: true,
			includeErrorInReport: true,
			...(SEED !== undefined && { seed: Number(SEED) })
		}
	);
	await last;
}

/** The inside of a program: its stack, its queries, its hashes. */
const INSIDE =
	/\bat [^\n]{1,200}\.(?:js|ts):\d+|\$argon2|password_hash|node_modules|syntax error at or near|invalid input syntax|violates \w+/;

describe('whatever comes from outside', function () {
	this.timeout(MINUTES * 60_000 * 2 + 120_000);
	let ours: Ids;
	let theirs: Ids;
	let marks: string[];
	let token: string;
	let people: (TestPerson | null)[];
	let kept: { entries: number; units: number };

	const counts = async () => ({
		entries: Number((await unwalled()('ledger_entry').count({ count: '*' }))[0]!.count),
		units: Number((await unwalled()('unit').count({ count: '*' }))[0]!.count)
	});

	before(async () => {
		const engineer = await newPerson({ [OURS]: 'engineer' });
		token = await tokenFor(OURS);
		const [own, other] = [
			await thingsOf(OURS, engineer),
			await thingsOf(THEIRS, await newPerson({ [THEIRS]: 'engineer' }))
		];
		[ours, theirs] = [own.ids, other.ids];
		marks = other.marks.filter((mark) => !own.marks.includes(mark));
		people = [
			engineer,
			await newPerson({ [OURS]: 'technician' }),
			await newPerson({ [OURS]: 'reader' }),
			{ ...engineer, cookie: '' }
		];
		kept = await counts();
	});
	// They would work on what other tests take in
	after(async () => {
		for (const { rule } of [ours, theirs]) await removeRule(rule, ACTOR);
	});
	after('nothing of what was kept is lost, and the ledger holds', async () => {
		const now = await counts();
		expect(now.entries).to.be.at.least(kept.entries);
		expect(now.units).to.be.at.least(kept.units);
		const owner = new pg.Client({ connectionString: ownerUrl(currentSettings()) });
		await owner.connect();
		expect((await firstBroken(owner)).problem).to.equal(null);
		await owner.end();
	});

	function expectHarmless(what: string, status: number, text: string, location: string | null): void {
		expect(status, `${what}: ${text.slice(0, 300)}`).to.be.within(200, 499);
		expect(text, what).to.not.match(INSIDE);
		for (const mark of marks) expect(text.includes(mark), `${what} tells “${mark}”`).to.equal(false);
		if (location) expect(new URL(location, address('')).origin, what).to.equal(new URL(address('')).origin);
	}

	it('every page, form and program’s request answers in order, whatever is put into it', () =>
		survives(() =>
			fuzz(
				0.6,
				fc.tuple(
					fc.constantFrom(...Object.keys(WALK)),
					fc.nat(),
					fc.nat(),
					fc.array(mutation, { minLength: 1, maxLength: 3 })
				),
				async (way, who, whose, mutations) => {
					const ids = [ours, theirs, nothing()][whose % 3]!;
					const response = await changing(mutations, () =>
						WALK[way]!(ids, people[who % people.length]!, token)
					);
					// What was asked for may be said again
					const text = (await response.text()).replaceAll(ids.serial, '');
					expectHarmless(way, response.status, text, response.headers.get('location'));
				}
			)
		));

	it('every address answers in order, however it is written', () =>
		survives(() =>
			fuzz(
				0.1,
				fc.tuple(
					fc.constantFrom('GET', 'POST', 'PUT', 'DELETE', 'HEAD', 'OPTIONS', 'PATCH', 'TRACE', 'QUERY'),
					fc.array(
						fc.oneof(
							fc.constantFrom(
								'api',
								'v1',
								'sites',
								'units',
								'..',
								'.',
								'',
								'%2e%2e',
								'_app',
								'immutable',
								'restconf',
								'operations',
								'images',
								'files',
								'field',
								'__data.json',
								'rows',
								'%00',
								'%'
							),
							hostileText.map((text) => text.slice(0, 200))
						),
						{ maxLength: 5 }
					),
					fc.array(
						fc.constantFrom(
							'content-length: -1',
							'content-length: 99',
							'transfer-encoding: chunked',
							'transfer-encoding: x',
							'expect: 100-continue',
							'upgrade: websocket',
							'connection: upgrade',
							'host: x',
							'accept: */*',
							'range: bytes=9-1,-,5-'
						),
						{ maxLength: 3 }
					),
					fc.boolean()
				),
				async (method, parts, headers, secure) => {
					const path = `/${parts.join('/')}`.replace(/[\r\n ]/g, '+');
					const answer = await send(
						secure ? PORTS.units() : PORTS.http(),
						Buffer.from(request(method, path, [...headers, 'connection: close']), 'latin1'),
						{ secure, silence: 300 }
					);
					// Nothing at all is an answer to what is no request
					if (answer)
						expect(statusOf(answer), `${method} ${path}: ${answer.slice(0, 200)}`).to.be.within(100, 499);
					expect(answer).to.not.match(INSIDE);
				}
			)
		));

	it('every report of a unit is taken or refused in words of RFC 8572', async () => {
		const unit = await boundUnit();
		const value = fc.oneof(hostileText, fc.jsonValue({ maxDepth: 3 }));
		await survives(() =>
			fuzz(
				0.1,
				fc.tuple(
					fc.constantFrom('get-bootstrapping-data', 'report-progress'),
					fc.oneof(
						hostileText,
						fc.dictionary(
							fc.constantFrom(
								'progress-type',
								'message',
								'ssh-host-keys',
								'trust-anchor-certs',
								'signed-data-preferred',
								'hw-model',
								'os-name',
								'os-version',
								'nonce',
								'x'
							),
							fc.oneof(
								value,
								fc.constantFrom(
									'bootstrap-initiated',
									'informational',
									'boot-image-mismatch',
									'config-warning'
								)
							),
							{ maxKeys: 5 }
						)
					),
					fc.option(hostileText)
				),
				async (operation, input, type) => {
					const body =
						typeof input === 'string' ? input : JSON.stringify({ 'ietf-sztp-bootstrap-server:input': input });
					const answer = await invoke(operation, unit, body, {
						...(type !== null && { 'content-type': type.replace(/[^\x20-\x7e]/g, '?') })
					});
					expectHarmless(operation, answer.status, await answer.text(), null);
				}
			)
		);
	});

	it('nobody is told whether a serial number is known who does not know its claim code', async () => {
		// Fewer guesses than are made to wait: of a serial number, and from an address
		let pairs = 0;
		let left = 0;
		let pair: { known: string; unknown: string; from: string };
		const nextPair = async () => {
			if (left-- > 0) return pair;
			left = 20;
			pairs++;
			const from = `127.9.${pairs >> 8}.${pairs & 255}`;
			return (pair = { known: (await boundUnit()).serial, unknown: newLabel().serial, from });
		};
		await survives(() =>
			fuzz(
				0.1,
				fc.tuple(
					fc.constantFrom('get-bootstrapping-data', 'report-progress'),
					fc.oneof(
						hostileText,
						fc.constant('{"ietf-sztp-bootstrap-server:input":{"signed-data-preferred":[null]}}')
					),
					hostileText,
					fc.constantFrom('application/yang-data+json', 'text/plain')
				),
				async (operation, body, claimCode, type) => {
					const { known, unknown, from } = await nextPair();
					const told = async (serial: string) => {
						const headers = { 'content-type': type };
						const answer = await invoke(operation, { serial, claimCode }, body, headers, from);
						return `${answer.status} ${await answer.text()}`;
					};
					const answer = await told(known);
					expect(Number(answer.slice(0, 3)), answer).to.be.within(400, 499);
					expect(answer).to.equal(await told(unknown));
				}
			)
		);
	});

	it('a certificate of a client’s own making opens nothing, whatever it says', async () => {
		const { serial } = await boundUnit();
		const when = { from: new Date(Date.now() - 60_000), until: new Date(Date.now() + 3_600_000) };
		const says = fc.oneof(
			fc.constant(serial),
			hostileText
				.map((text) => text.replaceAll('\0', '').toWellFormed().slice(0, 300))
				.filter((text) => text !== '')
		);
		await survives(() =>
			fuzz(0.1, fc.tuple(says, says, fc.boolean()), async (name, number, isAuthority) => {
				const made = await issue({
					subject: [{ CN: [{ utf8String: name }] }, { '2.5.4.5': [{ utf8String: number }] }],
					isAuthority,
					...when
				});
				const { status, text } = await secure({
					port: PORTS.units(),
					path: `${OPERATIONS}get-bootstrapping-data`,
					method: 'POST',
					key: made.key,
					cert: made.chain.join('\n')
				});
				expect(status, text).to.be.within(400, 499);
				expect(text).to.not.match(INSIDE);
			})
		);
	});

	it('every file is read or refused in words', async () => {
		const customer = await customerId();
		const whole = await workbook([['Serial', 'MAC', 'Claim code'], lineOf(newLabel()).split(',')]);
		const coordinator = await newPerson({ [OURS]: 'coordinator' });
		await survives(() =>
			fuzz(
				0.1,
				fc.tuple(
					fc.array(fc.tuple(fc.nat(), fc.nat(255)), { maxLength: 8 }),
					fc.oneof(
						fc.constant(whole),
						fc.uint8Array({ maxLength: 3000 }),
						hostileText.map((text) => new TextEncoder().encode(text))
					),
					fc.constantFrom('x.xlsx', 'x.csv', 'x', '../../x.xlsx', '\u202e.xlsx')
				),
				async (changes, content, name) => {
					const bytes = Uint8Array.from(content);
					for (const [at, byte] of changes) if (bytes.length > 0) bytes[at % bytes.length] = byte;
					const body = new FormData();
					body.set('customer', customer);
					body.set('file', new File([bytes], name));
					const answer = await fetch(address('/intake?/claim'), {
						method: 'POST',
						headers: {
							cookie: coordinator.cookie,
							origin: new URL(address('')).origin,
							accept: 'application/json',
							'x-sveltekit-action': 'true'
						},
						body
					});
					expectHarmless(name, answer.status, await answer.text(), null);
				}
			)
		);
	});

	it('every dialler is borne, whatever it says instead of SSH', () =>
		survives(() =>
			fuzz(
				0.1,
				fc.tuple(
					fc.oneof(
						fc.constant('SSH-2.0-x\r\n'),
						fc.constant('SSH-2.0-'),
						hostileText.map((text) => `SSH-2.0-${text}\r\n`),
						hostileText
					),
					fc.array(fc.uint8Array({ maxLength: 400 }), { maxLength: 4 })
				),
				async (banner, packets) => {
					await send(
						PORTS.callHome(),
						[Buffer.from(banner, 'latin1'), ...packets.map((packet) => Buffer.from(packet))],
						{ silence: 100 }
					);
				}
			)
		));
});
