import { randomInt } from 'node:crypto';
import { expect } from 'chai';
import { checkCharacter } from '../../src/core/intake';
import { YANG_JSON } from '../../src/core/bootstrap';
import { database } from '../../src/lib/server/database';
import { claimBatch } from '../../src/lib/server/intake';
import { bindUnit } from '../../src/lib/server/onboarding';
import { currentSettings, publicUrl } from '../../src/lib/server/settings';

/** Made-up things for server tests, each new, so that tests do not meet. */
export const ACTOR = { name: 'a test', address: '127.0.0.1' };
let made = randomInt(100_000) * 1000;

const BODIES = {
	router: () => `VTB${pad(4)}QQQQ`,
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
	(await database()('customer').where({ name }).first('id')).id;

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
	gateway: 'Clinic gateway',
	'access-point': 'Indoor access point'
} as const;
const NAMES = { router: 'rt-1', gateway: 'gw-1', 'access-point': 'ap-1' } as const;
export const TEST_SITE = 'Test site';

/** A new position at a new site, at which everything needed is given. */
export async function openPosition(
	role: Role = 'gateway',
	customer = 'Marlstone Veterinary'
): Promise<string> {
	made++;
	const values = {
		hostname: `t${made}`,
		lan_address: '10.0.0.1/24',
		lan_first: '10.0.0.50',
		lan_last: '10.0.0.99'
	};
	const { rows } = await database().raw(
		`with new_site as (
			insert into site (id, customer_id, name, time_zone, uplink)
			select gen_random_uuid(), customer.id, ?, 'Pacific/Auckland', 'fibre' from customer where name = ? returning id, customer_id
		)
		insert into position (id, site_id, customer_id, name, role_id, profile_id, dialect, values)
		select gen_random_uuid(), new_site.id, new_site.customer_id, ?, profile.role_id, profile.id, profile.dialect, ?::jsonb
		from new_site, profile where profile.name = ? returning id`,
		[`${TEST_SITE} ${made}`, customer, NAMES[role], JSON.stringify(values), PROFILES[role]]
	);
	return rows[0].id;
}

/** A unit bound to a position. */
export async function boundUnit(role: Role = 'gateway', customer = 'Marlstone Veterinary') {
	const unit = await newUnit(role, customer);
	const positionId = await openPosition(role, customer);
	const act = await bindUnit(positionId, unit.unitId, ACTOR);
	if (!act.ok) throw new Error(act.problem);
	return { ...unit, positionId, runId: act.done.runId };
}

export const address = (path: string) => `${publicUrl(currentSettings())}${path}`;
export const OPERATIONS = '/restconf/operations/ietf-sztp-bootstrap-server:';
export const basic = (serial: string, code: string) =>
	`Basic ${Buffer.from(`${serial}:${code}`).toString('base64')}`;

/** Invokes one of RFC 8572's operations. */
export function invoke(
	operation: string,
	unit: { serial: string; claimCode: string } | null,
	body?: unknown,
	headers: Record<string, string> = {}
): Promise<Response> {
	return fetch(address(OPERATIONS + operation), {
		method: 'POST',
		headers: {
			...(unit && { authorization: basic(unit.serial, unit.claimCode) }),
			...(body !== undefined && { 'content-type': YANG_JSON }),
			...headers
		},
		body: body === undefined ? null : typeof body === 'string' ? body : JSON.stringify(body)
	});
}

export const report = (unit: { serial: string; claimCode: string }, type: string, more: object = {}) =>
	invoke('report-progress', unit, { 'ietf-sztp-bootstrap-server:input': { 'progress-type': type, ...more } });

export const runOf = (id: string) => database()('run').where({ id }).first();

/** The error of a refused statement, or null when it was let through. */
export const refusalOf = (statement: PromiseLike<unknown>): Promise<string | null> =>
	Promise.resolve(statement).then(
		() => null,
		(error: Error) => error.message
	);
