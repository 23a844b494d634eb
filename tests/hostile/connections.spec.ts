import { connect } from 'node:net';
import { once } from 'node:events';
import { randomBytes } from 'node:crypto';
import { expect } from 'chai';
import { address, get, newPerson } from '../server/making';
import { PORTS, request, send, statusOf, survives } from './attack';

describe('connections from outside', () => {
	describe('to where units dial home', () => {
		const dial = async () => {
			const socket = connect(PORTS.callHome(), '127.0.0.1');
			socket.on('error', () => undefined);
			await once(socket, 'connect');
			return socket.resume();
		};

		it('may be reset, closed or speak no SSH', () =>
			survives(async () => {
				for (const what of ['reset', 'destroy', 'end'] as const)
					for (let times = 0; times < 20; times++) {
						const socket = await dial();
						if (what === 'reset') socket.resetAndDestroy();
						else if (what === 'destroy') socket.destroy();
						else socket.end();
						if (!socket.closed) await new Promise((resolve) => socket.once('close', resolve));
					}
				for (const bytes of [
					'GET / HTTP/1.1\r\n\r\n',
					'\0'.repeat(4000),
					`SSH-2.0-${'x'.repeat(100_000)}`,
					'SSH-1.99-old\r\n',
					`SSH-2.0-unit\r\n${randomBytes(5000).toString('latin1')}`,
					randomBytes(100_000)
				])
					await send(PORTS.callHome(), bytes);
			}));

		it('may say nothing until the handshake’s time is over @long', () =>
			survives(async () => {
				const silent = await Promise.all(Array.from({ length: 20 }, dial));
				await Promise.all(silent.map((socket) => new Promise((resolve) => socket.once('close', resolve))));
			}));
	});

	describe('to where units bootstrap', () => {
		it('reach no page, program’s address or file but the units’ own, however the address is written', async () => {
			const { cookie } = await newPerson('administrator');
			for (const path of [
				'/images/../sign-in',
				'/images/%2e%2e/sign-in',
				'/images/x/../../sites',
				'/restconf/../api/v1/runs',
				'/restconf/%2e%2e/%61pi/v1/openapi.json',
				'/files/..%2fsign-in',
				'//sign-in',
				'/./sign-in',
				'/images/..;/sign-in',
				'/_app/version.json',
				'/images/../_app/version.json',
				'/favicon.svg',
				'http://elsewhere.example/sign-in',
				'/.well-known/../healthz'
			]) {
				const answer = await send(
					PORTS.units(),
					request('GET', path, [`cookie: ${cookie}`, 'connection: close']),
					{
						secure: true
					}
				);
				expect(statusOf(answer), path).to.equal(404);
				expect(answer, path).to.not.match(/<html|openapi/);
			}
			const files = await send(
				PORTS.units(),
				request('GET', `/files/${'0'.repeat(64)}/nothing`, ['connection: close']),
				{ secure: true }
			);
			expect(files).to.match(/^HTTP\/1\.1 404[\s\S]*errors/);
		});

		it('do not let a session into the programs’ gate, nor anybody past the units’', async () => {
			const { cookie } = await newPerson('administrator');
			for (const path of ['/%61pi/v1/runs', '/api/v1/runs', '/ap%69/v1/units'])
				expect((await fetch(address(path), { headers: { cookie } })).status, path).to.equal(401);
			expect((await fetch(address('/%73ites'), { redirect: 'manual' })).status).to.equal(401);
		});
	});

	describe('with bodies', () => {
		const chunk = (bytes: number) => Buffer.from(`${bytes.toString(16)}\r\n${'x'.repeat(bytes)}\r\n`);
		const endless = Array.from({ length: 100 }, () => chunk(1024 * 1024));

		it('are cut off when they have no length and no end, before sign-in and after', async () => {
			const { cookie } = await newPerson('administrator');
			const type = 'content-type: application/x-www-form-urlencoded';
			const origin = `origin: ${address('')}`;
			await survives(async () => {
				for (const [path, who] of [
					['/sign-in?/password', 'x: y'],
					['/intake?/claim', `cookie: ${cookie}`],
					['/nothing', 'x: y'],
					['/restconf/operations/ietf-sztp-bootstrap-server:report-progress', 'authorization: Basic QTpC']
				] as const) {
					const head = request('POST', path, [type, origin, who, 'transfer-encoding: chunked']).slice(0, -2);
					const answer = await send(PORTS.http(), [Buffer.from(`${head}\r\n`), ...endless]);
					if (answer) expect(statusOf(answer), path).to.be.within(400, 499);
				}
			});
		});

		it('that are refused do not hold up the next request on the connection', async () => {
			const origin = `origin: ${address('')}`;
			const body = 'x'.repeat(300_000);
			for (const [path, headers] of [
				['/sign-in?/password', ['content-type: application/x-www-form-urlencoded', origin]],
				['/intake?/claim', ['content-type: application/x-www-form-urlencoded', origin]],
				['/api/v1/batches', ['content-type: application/json']],
				['/restconf/operations/ietf-sztp-bootstrap-server:report-progress', ['content-type: text/plain']],
				[
					'/restconf/operations/ietf-sztp-bootstrap-server:report-progress',
					['authorization: Basic QTpC', 'content-type: application/yang-data+json']
				],
				['/sites', ['content-type: text/plain', 'origin: http://elsewhere.example']]
			] as const) {
				const two =
					request('POST', path, [...headers, `content-length: ${body.length}`], body) +
					request('GET', '/healthz', ['connection: close']);
				const answers = await send(PORTS.http(), two, { silence: 5000 });
				expect(
					answers.match(/^HTTP\/1\.1 \d{3}/gm)?.map((line) => line.slice(9)),
					path
				).to.have.lengthOf(2);
				expect(answers, path).to.match(/HTTP\/1\.1 200 OK[\s\S]*alive|ok|\n$/);
				expect(statusOf(answers), path).to.be.within(400, 499);
			}
		});

		it('say so when a form is too large, with nothing changed', async () => {
			const { cookie } = await newPerson('administrator');
			const answer = await send(
				PORTS.http(),
				request('POST', '/intake?/claim', [
					`cookie: ${cookie}`,
					`origin: ${address('')}`,
					'content-type: application/x-www-form-urlencoded',
					`content-length: ${5 * 1024 * 1024}`
				])
			);
			expect(statusOf(answer)).to.equal(413);
			expect(answer).to.match(/4 MB at most/);
		});
	});

	it('are not led astray by where they want to go back to', async () => {
		const person = await newPerson({ 'Marlstone Veterinary': 'reader' });
		for (const back of [
			'/\t/evil.example',
			'/%09/evil.example',
			'/\n/evil.example',
			'/\\evil.example',
			'/.//evil.example',
			'//evil.example',
			'/x/..//evil.example',
			'https:/evil.example',
			'/\r\nset-cookie: a=b',
			'\u0000/sites',
			'/\ud800',
			'/\u{1f600}'
		]) {
			for (const answer of [
				await get(`/sign-in?back=${encodeURIComponent(back.toWellFormed())}`, person),
				await fetch(address('/customer'), {
					method: 'POST',
					redirect: 'manual',
					headers: { cookie: person.cookie, origin: address('') },
					body: new URLSearchParams({ customer: '', back: back.toWellFormed() })
				})
			]) {
				expect(answer.status, JSON.stringify(back)).to.be.oneOf([303, 400]);
				const location = answer.headers.get('location') ?? '/';
				expect(new URL(location, address('/')).origin, JSON.stringify(back)).to.equal(address(''));
			}
		}
	});
});
