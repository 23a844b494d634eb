import { randomInt } from 'node:crypto';
import { readFileSync } from 'node:fs';
import { Agent, request } from 'node:https';
import { join } from 'node:path';
import { expect } from 'chai';
import { checkCharacter } from '../../src/core/intake';
import { YANG_JSON } from '../../src/core/bootstrap';
import knexFactory, { type Knex } from 'knex';
import pg from 'pg';
import { parse as devalue } from 'devalue';
import { v7 as uuid } from 'uuid';
import { may, type Duty } from '../../src/core/people';
import type { Technician } from '../../src/lib/server/day';
import { actAlwaysAs, ownerUrl, runAs } from '../../src/lib/server/database';
import { unseal, seal } from '../../src/lib/server/keys';
import { hashPassword } from '../../src/lib/server/people/coming-in/passwords';
import { beginSession } from '../../src/lib/server/people/coming-in/sessions';
import { claimBatch } from '../../src/lib/server/intake';
import { bindUnit } from '../../src/lib/server/binding';
import { BY_PROGRAMS, doneByProgram, noteForm, overApi } from '../programs';
import { currentSettings, publicUrl, type Settings } from '../../src/lib/server/settings';

let owners: Knex | undefined;
/** The database past every wall, as its owner: for setting a scene and looking at what came of it, never for an act. */
export const unwalled = (): Knex =>
	(owners ??= knexFactory({ client: 'pg', connection: ownerUrl(), pool: { min: 0, max: 4 } }));
export async function closeUnwalled(): Promise<void> {
	await owners?.destroy();
	owners = undefined;
}

/** Whoever tests act as unless they say otherwise: an engineer of all the demo's customers, behind the walls. */
export let ACTOR: Technician;
export async function actAsEngineer(): Promise<void> {
	const customers = await unwalled()('customer').pluck<string[]>('name');
	const engineer = await newPerson(
		Object.fromEntries(customers.map((name): [string, Duty] => [name, 'engineer']))
	);
	ACTOR = await actorOf(engineer);
	actAlwaysAs({ kind: 'person', personId: engineer.id });
}

/** A customer of a test's own, with the values of one of the demo's; its name. Nothing that other tests began goes on there. */
export async function customerLike(
	demo: string,
	values: Readonly<Record<string, string>> = {}
): Promise<string> {
	const name = `${demo} ${++made}`;
	await unwalled().raw(
		`insert into customer (id, name, values) select gen_random_uuid(), ?, values || ?::jsonb from customer where name = ?`,
		[name, JSON.stringify(values), demo]
	);
	await actAsEngineer();
	return name;
}

/** Made-up things for server tests, each new, so that tests do not meet; with as many digits for all, as they stand in the order of their names. */
let made = 100_000_000 + randomInt(100_000) * 1000;

const BODIES = {
	router: () => `VTB${pad(4)}QQQQ`,
	'large-router': () => `VTD${pad(4)}QQQQ`,
	gateway: () => `OG2K${pad(7)}`,
	'access-point': () => `61${pad(9)}`
} as const;
const pad = (length: number) => String(made).slice(-length).padStart(length, '0');
type Role = keyof typeof BODIES;

export function newLabel(role: Role = 'gateway') {
	made++;
	const body = BODIES[role]();
	const serial =
		body + checkCharacter(body, role === 'access-point' ? 'iso7064-mod-11-10' : 'iso7064-mod-37-36');
	const hex = made.toString(16).padStart(8, '0');
	return { serial, mac: `02:01:${hex.match(/../g)!.join(':')}`, claimCode: `TEST${pad(6)}` };
}
export type TestLabel = ReturnType<typeof newLabel>;
export const lineOf = ({ serial, mac, claimCode }: TestLabel) => `${serial},${mac},${claimCode}`;

export const customerId = async (name = 'Marlstone Veterinary'): Promise<string> =>
	(await unwalled()('customer').where({ name }).first('id')).id;

/** A claimed unit of the customer. */
export async function newUnit(role: Role = 'gateway', customer?: string) {
	const label = newLabel(role);
	const act = await claimBatch(await customerId(customer), lineOf(label), ACTOR);
	if (!act.ok) throw new Error(act.problem);
	const unitId = act.done.rows[0]!.unitId;
	expect(unitId, act.done.rows[0]!.reason).to.be.a('string');
	return { ...label, unitId: unitId! };
}

const PROFILES = {
	router: 'Bakery router',
	'large-router': 'Bakery router',
	gateway: 'Clinic gateway',
	'access-point': 'Indoor access point'
} as const;
const NAMES = { router: 'rt-1', 'large-router': 'rt-1', gateway: 'gw-1', 'access-point': 'ap-1' } as const;
export const TEST_SITE = 'Test site';

/** A new position at a new site, at which everything needed is given. */
export async function openPosition(
	role: Role = 'gateway',
	customer = 'Marlstone Veterinary'
): Promise<string> {
	made++;
	const values = {
		hostname: `t${made}`,
		networks: '10.0.0.0/22',
		site_number: made % 2000,
		tunnel_secret: seal('a-secret-of-tests')
	};
	const { rows } = await unwalled().raw(
		`with new_site as (
			insert into site (id, customer_id, name, time_zone, uplink)
			select gen_random_uuid(), customer.id, ?, 'Pacific/Auckland', 'fibre' from customer where name = ? returning id, customer_id
		)
		insert into position (id, site_id, customer_id, name, role_id, profile_id, values)
		select gen_random_uuid(), new_site.id, new_site.customer_id, ?, profile.role_id, profile.id, ?::jsonb
		from new_site, profile where profile.name = ? returning id`,
		[`${TEST_SITE} ${made}`, customer, NAMES[role], JSON.stringify(values), PROFILES[role]]
	);
	return rows[0].id;
}

/** A unit bound to a position. */
export async function boundUnit(role: Role = 'gateway', customer = 'Marlstone Veterinary', place?: string) {
	const unit = await newUnit(role, customer);
	const positionId = place ?? (await openPosition(role, customer));
	const act = await bindUnit(positionId, unit.unitId, ACTOR);
	if (!act.ok) throw new Error(act.problem);
	return { ...unit, positionId, runId: act.done.runId };
}

export const address = (path: string) => `${publicUrl(currentSettings())}${path}`;
export const OPERATIONS = '/restconf/operations/ietf-sztp-bootstrap-server:';
export const basic = (serial: string, code: string) =>
	`Basic ${Buffer.from(`${serial}:${code}`).toString('base64')}`;

/** As units come: over TLS to their own port, trusting the certificate that the installation made. */
const agents = new Map<string, Agent>();
export function overTls(
	path: string,
	{
		method = 'GET',
		headers = {},
		body,
		localAddress
	}: {
		method?: string;
		headers?: Record<string, string>;
		body?: string | Buffer | undefined;
		localAddress?: string | undefined;
	},
	{ LIMEN_STATE_DIR, LIMEN_BOOTSTRAP_PORT: port }: Settings = currentSettings()
): Promise<Response> {
	let agent = agents.get(LIMEN_STATE_DIR);
	if (!agent) {
		agent = new Agent({ keepAlive: true, ca: readFileSync(join(LIMEN_STATE_DIR, 'keys', 'bootstrap.crt')) });
		agents.set(LIMEN_STATE_DIR, agent);
	}
	return new Promise((resolve, reject) => {
		const asked = request(
			{ host: '127.0.0.1', servername: 'localhost', port, path, method, headers, agent, localAddress },
			(answer) => {
				const parts: Buffer[] = [];
				answer.on('data', (part: Buffer) => parts.push(part));
				answer.on('end', () =>
					resolve(
						new Response(answer.statusCode === 204 ? null : Buffer.concat(parts), {
							status: answer.statusCode!,
							headers: Object.entries(answer.headers).map(([name, value]): [string, string] => [
								name,
								String(value)
							])
						})
					)
				);
			}
		);
		asked.on('error', reject);
		asked.end(body);
	});
}

/** Invokes one of RFC 8572's operations. */
export const invoke = (
	operation: string,
	unit: { serial: string; claimCode: string } | null,
	body?: unknown,
	headers: Record<string, string> = {},
	localAddress?: string
): Promise<Response> =>
	overTls(OPERATIONS + operation, {
		method: 'POST',
		localAddress,
		headers: {
			...(unit && { authorization: basic(unit.serial, unit.claimCode) }),
			...(body !== undefined && { 'content-type': YANG_JSON }),
			...headers
		},
		body:
			body === undefined || typeof body === 'string' || Buffer.isBuffer(body) ? body : JSON.stringify(body)
	});

export const report = (unit: { serial: string; claimCode: string }, type: string, more: object = {}) =>
	invoke('report-progress', unit, { 'ietf-sztp-bootstrap-server:input': { 'progress-type': type, ...more } });

/** A run with its rendering as it was served. */
export async function runOf(id: string) {
	const run = await unwalled()('run').where({ id }).first();
	return { ...run, rendering: run.rendering && unseal(run.rendering) };
}

/** The error of a refused statement, or null when it was let through. */
export const refusalOf = (statement: PromiseLike<unknown>): Promise<string | null> =>
	Promise.resolve(statement).then(
		() => null,
		(error: Error) => error.message
	);

/** One statement as the owner of the database, past every wall. */
export async function asOwner(sql: string, values: unknown[] = []): Promise<pg.QueryResult> {
	const client = new pg.Client({ connectionString: ownerUrl() });
	await client.connect();
	try {
		return await client.query(sql, values);
	} finally {
		await client.end();
	}
}

export interface TestPerson {
	readonly id: string;
	readonly name: string;
	readonly email: string;
	readonly cookie: string;
	readonly sessionId: string;
	/** What they send is done over the API, by a program of theirs, and answered as the API answers. */
	readonly byProgram?: true;
}
export const PASSWORD = 'correct horse of the tests';
let passwordHash: Promise<string> | undefined;

/** A new person with these duties by customer name, or an administrator, signed in. */
export async function newPerson(
	duties: Readonly<Record<string, Duty>> | 'administrator'
): Promise<TestPerson> {
	made++;
	const person = { id: uuid(), name: `Person ${made}`, email: `person-${made}@tests.example` };
	const administrator = duties === 'administrator';
	const password_hash = await (passwordHash ??= hashPassword(PASSWORD));
	const memberships: { person_id: string; customer_id: string; duty: Duty }[] = [];
	if (!administrator)
		for (const [customer, duty] of Object.entries(duties))
			memberships.push({ person_id: person.id, customer_id: await customerId(customer), duty });
	const token = await unwalled().transaction(async (trx) => {
		await trx('person').insert({ ...person, administrator, password_hash });
		if (memberships.length > 0) await trx('membership').insert(memberships);
		return beginSession(trx, person.id, { address: '127.0.0.1', device: 'a test' });
	});
	const { id: sessionId } = await unwalled()('session').where({ person_id: person.id }).first('id');
	return { ...person, cookie: `limen_session=${token}`, sessionId };
}

/** A person as the acts see them: with the rights that they have, and no others. */
export async function actorOf({ id, name }: TestPerson): Promise<Technician> {
	const person = await unwalled()('person').where({ id }).first('administrator');
	const memberships = await unwalled()('membership').where({ person_id: id }).select('customer_id', 'duty');
	const duties = Object.fromEntries(memberships.map(({ customer_id, duty }) => [customer_id, duty]));
	return {
		name,
		address: '127.0.0.1',
		personId: id,
		may: (act, customer) => may({ administrator: person.administrator, duties }, act, customer)
	};
}

/** An act as a person does it: with their rights, behind their walls. */
export const doneBy = async <Result>(person: TestPerson, act: (actor: Technician) => Promise<Result>) => {
	const actor = await actorOf(person);
	return runAs({ kind: 'person', personId: person.id }, () => act(actor));
};

let administrator: Promise<TestPerson> | undefined;
/** The administrator as whom tests look at pages that are not about who may; has just said who it is, however long the tests take. */
export async function anAdministrator(): Promise<TestPerson> {
	const one = await (administrator ??= newPerson('administrator'));
	await unwalled()('session').where({ id: one.sessionId }).update({ confirmed_at: new Date() });
	return one;
}

/** Gets a page as a person; as an administrator when none is named. */
export async function get(path: string, as?: TestPerson, init: RequestInit = {}): Promise<Response> {
	const { cookie } = as ?? (await anAdministrator());
	return fetch(address(path), {
		redirect: 'manual',
		...init,
		headers: { cookie, accept: 'text/html', ...init.headers }
	});
}

/** Sends a form as a person; as an administrator when none is named. */
export async function post(
	path: string,
	fields: Record<string, string> | FormData,
	headers: Record<string, string> = {},
	as?: TestPerson
): Promise<Response> {
	const { cookie } = as ?? (await anAdministrator());
	const form = fields instanceof FormData ? fields : new URLSearchParams(fields);
	const url = new URL(address(path));
	const session = cookie.slice('limen_session='.length);
	if (as?.byProgram) {
		// Whatever may ask for a reason is given one
		for (const [name, value] of [
			['reason', 'because'],
			['asked', 'on']
		] as const)
			if (!form.has(name)) form.set(name, value);
		const answered = await overApi({ url, session, form });
		return answered && 'done' in answered
			? Response.json(answered.done)
			: Response.json(answered?.refused ?? { detail: 'not for programs' }, { status: 400 });
	}
	const isForPrograms = BY_PROGRAMS && Object.keys(headers).length === 0;
	const done = isForPrograms ? await doneByProgram({ url, session, form }) : null;
	if (done) return Response.json(done);
	const answered = await fetch(url, {
		method: 'POST',
		body: form,
		redirect: 'manual',
		headers: {
			origin: address(''),
			cookie,
			accept: 'application/json',
			'x-sveltekit-action': 'true',
			...headers
		}
	});
	const isTold = /\bjson\b/.test(answered.headers.get('content-type') ?? '');
	if (isForPrograms && answered.ok && isTold) await noteForm(url, await answered.clone().json());
	return answered;
}

/** What a form action answered. */
export async function answerOf(
	response: Response
): Promise<{ type: string; status: number; data: Record<string, unknown> | null; location?: string }> {
	const body = (await response.json()) as { type: string; status: number; data?: string; location?: string };
	return { ...body, data: body.data ? (devalue(body.data) as Record<string, unknown>) : null };
}
