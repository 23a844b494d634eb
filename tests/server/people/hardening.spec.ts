import { spawnSync } from 'node:child_process';
import { readFileSync } from 'node:fs';
import { request, type IncomingHttpHeaders } from 'node:http';
import { buffer } from 'node:stream/consumers';
import { gunzipSync } from 'node:zlib';
import { expect } from 'chai';
import { currentSettings } from '../../../src/lib/server/settings';
import {
	address,
	basic,
	boundUnit,
	get,
	invoke,
	newLabel,
	newPerson,
	newUnit,
	OPERATIONS,
	type TestPerson
} from '../making';
import { secure } from '../secure';

describe('the bootstrap server over TLS', () => {
	const port = () => currentSettings().LIMEN_BOOTSTRAP_PORT;

	it('serves units under a certificate of its own making, and nothing else', async () => {
		const unit = await boundUnit();
		const answer = await secure({
			port: port(),
			path: `${OPERATIONS}get-bootstrapping-data`,
			method: 'POST',
			headers: { authorization: basic(unit.serial, unit.claimCode) }
		});
		expect(answer.status).to.equal(200);
		expect((await secure({ port: port(), path: '/.well-known/host-meta' })).text).to.include('/restconf');
		const person = await newPerson('administrator');
		for (const path of ['/', '/sites', '/sign-in', '/api/v1/runs', '/live', '/people'])
			expect(
				(await secure({ port: port(), path, headers: { cookie: person.cookie } })).status,
				path
			).to.equal(404);
	});

	it('takes an old protocol from nobody', () => {
		const tried = spawnSync('openssl', ['s_client', '-connect', `127.0.0.1:${port()}`, '-tls1_1'], {
			input: '',
			encoding: 'utf8'
		});
		expect(tried.stdout + tried.stderr).to.not.match(/^\s*Cipher\s*: [A-Z0-9-]{8,}/m);
	});
});

describe('limits at the units’ gate', () => {
	it('make whoever guesses wait, without telling whether there was anything to guess', async () => {
		const [known, unknown, bound] = [await newUnit(), newLabel(), await boundUnit()];
		const guess = async (serial: string) => {
			const statuses: number[] = [];
			for (let tries = 0; tries < 40; tries++)
				statuses.push(
					(await invoke('get-bootstrapping-data', { serial, claimCode: `GUESS${tries}00` })).status
				);
			return statuses.findIndex((status) => status === 429);
		};
		const [first, second] = [await guess(known.serial), await guess(unknown.serial)];
		expect(first).to.be.within(25, 35).and.to.equal(second);
		const limited = await invoke('get-bootstrapping-data', { serial: known.serial, claimCode: 'GUESSAGAIN' });
		expect(limited.status).to.equal(429);
		expect(Number(limited.headers.get('retry-after'))).to.be.within(1, 60);
		expect((await limited.json())['ietf-restconf:errors'].error[0]['error-tag']).to.equal('resource-denied');
		// The unit itself is served, also behind the same address, and so are those beside it
		await guess(bound.serial);
		expect((await invoke('get-bootstrapping-data', bound)).status).to.equal(200);
		expect((await invoke('get-bootstrapping-data', await boundUnit())).status).to.equal(200);
	});
});

describe('pages and programs from outside', () => {
	it('run no script that is not ours, are framed by nobody, and are kept by no cache', async () => {
		const page = await get('/sites');
		const policy = page.headers.get('content-security-policy')!;
		const scripts = /script-src ([^;]+)/.exec(policy)![1]!;
		expect(scripts)
			.to.match(/'nonce-/)
			.and.to.not.match(/unsafe-inline|unsafe-eval|\*/);
		expect(policy)
			.to.include("frame-ancestors 'none'")
			.and.include("object-src 'none'")
			.and.include("base-uri 'none'");
		const nonce = /'nonce-([^']+)'/.exec(scripts)![1]!;
		for (const [, attributes] of (await page.text()).matchAll(/<script([^>]*)>/g))
			expect(attributes).to.include(nonce);
		expect(page.headers.get('cache-control')).to.include('no-store');
		expect(page.headers.get('x-request-id')).to.match(/^[0-9a-f-]{36}$/);
	});

	it('are told whether the process is alive and ready, and its figures only on this machine', async () => {
		for (const path of ['/healthz', '/readyz']) expect((await fetch(address(path))).status).to.equal(200);
		expect(
			(
				await fetch(address('/metrics'), { redirect: 'manual', headers: { accept: 'text/html' } })
			).headers.get('location')
		).to.match(/^\/sign-in/);
		const figures = await fetch(`http://127.0.0.1:${currentSettings().LIMEN_METRICS_PORT}/metrics`);
		expect(figures.headers.get('content-type')).to.match(/^application\/openmetrics-text/);
		const text = await figures.text();
		expect(text).to.match(/limen_request_seconds_count\{route="\/healthz",method="GET",status="200"\} \d+/);
		expect(text.trimEnd()).to.match(/# EOF$/);
	});

	it('have a dashboard and rules for others to read, which ask for figures that there are', async () => {
		const figures = await fetch(`http://127.0.0.1:${currentSettings().LIMEN_METRICS_PORT}/metrics`);
		const known = [...(await figures.text()).matchAll(/^# TYPE (\w+) /gm)].map(([, name]) => name);
		const { panels, layouts } = JSON.parse(readFileSync('deploy/dashboard.json', 'utf8')).spec;
		const shown = layouts.flatMap(({ spec }: { spec: { items: { content: { $ref: string } }[] } }) =>
			spec.items.map(({ content }) => content.$ref.replace('#/spec/panels/', ''))
		);
		expect(shown).to.have.members(Object.keys(panels));
		const asked = JSON.stringify(panels) + readFileSync('deploy/alerts.yaml', 'utf8');
		const names = [...asked.matchAll(/\b(?:limen|process|nodejs)_\w+/g)].map(([name]) =>
			// The OpenMetrics suffixes of counters and histograms
			name.replace(/_(total|bucket|count)$/, '')
		);
		expect(names.length).to.be.greaterThan(15);
		expect(known).to.include.members(names);
	});

	it('have cookies that scripts do not read and other sites do not send', async () => {
		const { email } = await newPerson({});
		const answer = await fetch(address('/sign-in?/password'), {
			method: 'POST',
			redirect: 'manual',
			headers: { origin: address('') },
			body: new URLSearchParams({ email, password: 'correct horse of the tests' })
		});
		const cookies = answer.headers.getSetCookie();
		expect(cookies.map((cookie) => cookie.split('=')[0])).to.include.members([
			'limen_session',
			'limen_device'
		]);
		for (const cookie of cookies)
			expect(cookie)
				.to.match(/HttpOnly/i)
				.and.to.match(/SameSite=Lax/i);
	});

	it('cannot be sent astray by where they want to go back to', async () => {
		const person = await newPerson({});
		for (const back of [
			'//elsewhere.example',
			'/\\elsewhere.example',
			'https://elsewhere.example',
			'javascript:alert(1)'
		])
			expect(
				(await get(`/sign-in?back=${encodeURIComponent(back)}`, person)).headers.get('location')
			).to.equal('/');
	});
});

describe('what is sent', () => {
	/** As it comes over the wire: its headers, and its body as nobody unpacked it. */
	const asItComes = (path: string, { cookie }: TestPerson, headers: Record<string, string> = {}) =>
		new Promise<{ status: number; headers: IncomingHttpHeaders; body: Buffer }>((resolve, reject) =>
			request(address(path), { headers: { cookie, 'accept-encoding': 'gzip', ...headers } }, (response) => {
				const done = (body: Buffer) =>
					resolve({ status: response.statusCode!, headers: response.headers, body });
				// A stream of events goes on
				response.once('data', (first: Buffer) => {
					if (!/event-stream/.test(response.headers['content-type']!)) return;
					done(first);
					response.destroy();
				});
				buffer(response).then(done, reject);
			})
				.on('error', reject)
				.end()
		);

	it('is compressed where it is text, is long, and was not asked for by another site', async () => {
		const person = await newPerson('administrator');
		const page = await asItComes('/sites', person);
		expect(page.headers).to.include({ 'content-encoding': 'gzip' });
		expect(page.headers.vary).to.match(/accept-encoding/i);
		const text = gunzipSync(page.body).toString();
		expect(text).to.contain('<h1').and.to.contain('</html>');
		expect(page.body.length).to.be.below(text.length / 3);
		const described = await asItComes('/api/v1/openapi.json', person);
		expect(described.headers).to.include({ 'content-encoding': 'gzip' });
		for (const [path, headers] of [
			['/sites', { 'sec-fetch-site': 'cross-site' }],
			['/sites', { 'accept-encoding': 'identity' }],
			['/live?topics=runs', { accept: 'text/event-stream' }]
		] as const) {
			const plain = await asItComes(path, person, headers);
			expect(plain.status, path).to.equal(200);
			expect(plain.headers, path).to.not.have.property('content-encoding');
		}
	});
});
