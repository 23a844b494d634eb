import { readFileSync } from 'node:fs';
import { request } from 'node:https';
import { createSecureContext, type SecureContext } from 'node:tls';
import { startApplication } from '../../command/limen';
import { freePort } from '../../command/running/ports';
import { startProgram, whenReady } from '../../command/running/processes';
import { database } from '../../src/lib/server/database';
import { currentSettings, publicUrl } from '../../src/lib/server/settings';
import { deviceAuthority } from '../../standins/registry/authority';
import { deviceCertificate } from '../../standins/units/onboarding/identity';
import { asOwner, customerWithRuns, send, type BenchUnit, type Figure } from '../world';

const UNITS = 2_000;
/** A connection for each request: so many are enough to keep both cores busy for a while. */
const SECURE_UNITS = 300;
const INPUT = 'ietf-sztp-bootstrap-server:input';
const REPORTS = [
	'bootstrap-initiated',
	'parsing-initiated',
	'parsing-complete',
	'config-initiated',
	'config-complete',
	'bootstrap-complete'
];
const MOST_MEMORY = 400;

/** All units call at once, each one request after another, none sleeping. Returns requests per second. */
async function storm(
	units: readonly BenchUnit[],
	urlOf: (operation: string) => string,
	asking: object = {},
	way: (url: string, unit: BenchUnit, body: string) => Promise<number> = send
): Promise<number> {
	const bad: number[] = [];
	const start = performance.now();
	await Promise.all(
		units.map(async (unit) => {
			const say = async (operation: string, input: object) => {
				const status = await way(urlOf(operation), unit, JSON.stringify({ [INPUT]: input }));
				if (status >= 300) bad.push(status);
			};
			await say('get-bootstrapping-data', {
				'hw-model': 'OG-2',
				'os-name': 'okapira-og',
				'os-version': '7.0.3',
				...asking
			});
			for (const type of REPORTS)
				await say('report-progress', { 'progress-type': type, message: 'a few words of its own' });
		})
	);
	if (bad.length > 0) throw new Error(`${bad.length} requests were refused, the first with ${bad[0]}.`);
	return (units.length * (REPORTS.length + 1)) / ((performance.now() - start) / 1000);
}

/** Over TLS, on a connection of its own each time; with a device certificate where one is given. */
const overTls =
	(certificates: ReadonlyMap<string, SecureContext> | null) =>
	(url: string, { serial, claimCode }: BenchUnit, body: string): Promise<number> =>
		new Promise((resolve, reject) => {
			const secureContext = certificates?.get(serial);
			request(
				url,
				{
					agent: false,
					rejectUnauthorized: false,
					method: 'POST',
					...(secureContext && { secureContext }),
					headers: {
						...(!secureContext && {
							authorization: `Basic ${Buffer.from(`${serial}:${claimCode}`).toString('base64')}`
						}),
						'content-type': 'application/yang-data+json',
						'content-length': Buffer.byteLength(body)
					}
				},
				(response) => {
					response.resume();
					response.on('end', () => resolve(response.statusCode ?? 0));
				}
			)
				.on('error', reject)
				.end(body);
		});

export async function benchStorm(): Promise<Figure[]> {
	const { units } = await customerWithRuns('Storm', UNITS);
	await asOwner(
		'create table bare_event (id bigint generated always as identity primary key, unit_id uuid not null, at timestamptz not null default now(), words text not null)'
	);
	const port = await freePort();
	let said = '';
	const bare = startProgram(
		'bare server',
		[process.execPath, '--import', 'tsx', 'bench/units/bare-server.ts'],
		{ BARE_PORT: String(port) },
		(text) => (said += text)
	);
	await whenReady(bare, 'bare server', `http://127.0.0.1:${port}/`, () => said);
	const application = await startApplication(currentSettings(), { LIMEN_QUIET: 'yes' });
	const warm = units.slice(0, 50);
	await Promise.all(warm.map((unit) => send(`http://127.0.0.1:${port}/`, unit, '{}')));
	const baseline = await storm(units, () => `http://127.0.0.1:${port}/`);
	bare.kill('SIGTERM');
	const urlOf = (operation: string) =>
		`${publicUrl(currentSettings())}/restconf/operations/ietf-sztp-bootstrap-server:${operation}`;
	const measured = await storm(units, urlOf);
	const memory =
		Number(/VmHWM:\s+(\d+)/.exec(readFileSync(`/proc/${application.pid}/status`, 'utf8'))![1]) / 1024;
	const { rows } = await database().raw(
		`select count(*)::int as reports, count(distinct (run_id, progress_type))::int as distinct_reports from run_event where kind = 'report'`
	);
	const { customerId, units: believing } = await customerWithRuns('Storm of who believes vouchers', UNITS);
	// What a voucher says is for the unit to read
	await asOwner(
		`insert into voucher (unit_id, customer_id, maker_id, content, owner_key_id, made_at, expires_at, next_at)
		select id, customer_id, maker_id, decode('3000', 'hex'), (select id from owner_key where retired_at is null), now(), now() + interval '30 days', null
		from unit where customer_id = '${customerId}'`
	);
	const signed = await storm(believing, urlOf, { 'signed-data-preferred': [null] });
	const signedRatio = signed / measured;
	const secureUrl = (operation: string) =>
		`https://127.0.0.1:${currentSettings().LIMEN_BOOTSTRAP_PORT}/restconf/operations/ietf-sztp-bootstrap-server:${operation}`;
	const [{ units: plain }, { units: certified }] = [
		await customerWithRuns('Storm over TLS', SECURE_UNITS),
		await customerWithRuns('Storm with device certificates', SECURE_UNITS)
	];
	const certificates = new Map<string, SecureContext>();
	for (const { serial } of certified) {
		const { key, chain } = await deviceCertificate(serial, deviceAuthority('okapira'));
		certificates.set(serial, createSecureContext({ key, cert: chain.join('\n') }));
	}
	const coded = await storm(plain, secureUrl, {}, overTls(null));
	const withCertificates = await storm(certified, secureUrl, {}, overTls(certificates));
	const secureRatio = withCertificates / coded;
	application.kill('SIGTERM');
	await new Promise((resolve) => application.once('exit', resolve));
	const { reports, distinct_reports } = rows[0];
	const sent = UNITS * REPORTS.length;
	const ratio = measured / baseline;
	return [
		{
			name: `Storm: ${UNITS} units at once, ${UNITS * (REPORTS.length + 1)} requests`,
			measured: `${measured.toFixed(0)} requests/s`,
			baseline: `${baseline.toFixed(0)} requests/s (bare handler, one read, one insert)`,
			result: `${ratio.toFixed(2)} ×`,
			wanted: 'at least 0.5 ×',
			held: ratio >= 0.5
		},
		{
			name: 'Storm: every report stored once',
			measured: `${reports} stored, ${distinct_reports} distinct`,
			baseline: `${sent} sent`,
			result: reports === sent && distinct_reports === sent ? 'all' : 'not all',
			wanted: 'all',
			held: reports === sent && distinct_reports === sent
		},
		{
			name: 'Storm: the same with signed data',
			measured: `${signed.toFixed(0)} requests/s`,
			baseline: `${measured.toFixed(0)} requests/s (without)`,
			result: `${signedRatio.toFixed(2)} ×`,
			wanted: 'at least 0.8 ×',
			held: signedRatio >= 0.8
		},
		{
			name: `Storm: ${SECURE_UNITS} units over TLS with device certificates`,
			measured: `${withCertificates.toFixed(0)} requests/s`,
			baseline: `${coded.toFixed(0)} requests/s (over TLS with claim codes)`,
			result: `${secureRatio.toFixed(2)} ×`,
			wanted: 'at least 0.7 ×',
			held: secureRatio >= 0.7
		},
		{
			name: 'Storm: memory of the application, highest',
			measured: `${memory.toFixed(0)} MB`,
			baseline: '',
			result: `${memory.toFixed(0)} MB`,
			wanted: `under ${MOST_MEMORY} MB`,
			held: memory < MOST_MEMORY
		}
	];
}
