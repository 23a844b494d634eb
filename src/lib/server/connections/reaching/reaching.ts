import type { Knex } from 'knex';
import { v7 as uuid } from 'uuid';
import * as v from 'valibot';
import { parseAddress } from '../../../../core/address';
import { done, refuse, type Act } from '../../act';
import { database, isRefusal } from '../../database';
import { seal } from '../../keys';
import { enterInLedger, type Actor } from '../../ledger';
import { notify } from '../../live';
import { hangUp } from '../held';
import { chosenLogin } from './login-store';
import {
	loginFields,
	loginOf,
	loginProblem,
	NOT_REACHED_BY_YOU,
	portField,
	rangesField,
	shortText,
	unitLogin
} from './fields';
import { wayFor } from './ways';

export const reachSchema = v.object({
	address: v.pipe(
		shortText(60, 'Type its address.'),
		v.check((typed) => parseAddress(typed) !== null, 'This is no address.')
	),
	port: portField,
	...loginFields,
	privileges: v.optional(v.pipe(v.string(), v.maxLength(500)), '')
});
export type Reaching = v.InferOutput<typeof reachSchema>;

/** How a unit is reached at an address, without its secrets. */
export interface Reach {
	readonly address: string;
	readonly port: number;
	/** By which way in, and why; null directly. */
	readonly way: string | null;
	readonly nextTryAt: Date;
	readonly tries: number;
	/** The login of its customer's that it has; null: one of its own. */
	readonly login: string | null;
}

/** How a unit is reached at an address; null when it is not. */
export async function reachOf(unitId: string): Promise<Reach | null> {
	const row = await database()('unit_reach')
		.where({ unit_id: unitId })
		.first(
			'customer_id',
			database().raw('host(address) as address'),
			'port',
			'tries',
			'next_try_at',
			database().raw('(select name from login where id = login_id) as login')
		);
	if (!row) return null;
	const way = await wayFor(database(), row.customer_id, row.address);
	return {
		address: row.address,
		port: row.port,
		way: way?.name ?? null,
		login: row.login,
		tries: row.tries,
		nextTryAt: row.next_try_at
	};
}

/**
 * Reaches a unit at an address from now on, with a login of its own, or without one with that of its customer's which the
 * address uses; whatever host key shows itself first is pinned. Engineers of its customer may. Refused: an address that another
 * unit of the customer is reached at, or that no login is for.
 */
export async function reachAt(unitId: string, reaching: Reaching, actor: Actor): Promise<Act> {
	const hasOwn = reaching.user !== '' || reaching.password !== '' || reaching.privateKey !== '';
	const problem = hasOwn ? loginProblem(reaching) : null;
	if (problem) return refuse(problem);
	return database().transaction(async (trx) => {
		const unit = await unitOf(trx, unitId);
		if (!unit) return refuse('There is no such unit.');
		if (!actor.may('reach units', unit.customer_id)) return refuse(NOT_REACHED_BY_YOU);
		const chosen = hasOwn ? null : await chosenLogin(trx, unit.customer_id, reaching.address, unit.model_id);
		if (!hasOwn && !chosen)
			return refuse('Say as which user: none of the customer’s logins is for this address.');
		const other = await trx('unit_reach')
			.join('unit', 'unit.id', 'unit_id')
			.where({ 'unit_reach.customer_id': unit.customer_id, address: reaching.address, port: reaching.port })
			.whereNot({ unit_id: unitId })
			.first('serial');
		if (other) return refuse(`${other.serial} is reached at this address and port already.`);
		await trx('unit_reach')
			.insert({
				unit_id: unitId,
				customer_id: unit.customer_id,
				address: reaching.address,
				port: reaching.port,
				login: chosen ? null : seal(JSON.stringify(unitLogin(reaching))),
				login_id: chosen?.id ?? null,
				host_key: null,
				tries: 0,
				next_try_at: trx.fn.now()
			})
			.onConflict('unit_id')
			.merge();
		await notify(trx, 'reach-asked', unit.customer_id, [unitId]);
		await trx('unit').where({ id: unitId }).update({ reach_problem: null, reach_problem_at: null });
		await hangUp(trx, unit.customer_id, unitId);
		await notify(trx, 'units', unit.customer_id, [unitId]);
		await enterInLedger(trx, actor, [
			{
				act: 'reach at address',
				customerId: unit.customer_id,
				subjectKind: 'unit',
				subjectId: unitId,
				words: `Unit ${unit.serial} is reached at ${reaching.address}, port ${reaching.port}, ${chosen ? `with the login “${chosen.name}”` : `as ${reaching.user}`}.`
			}
		]);
		return done(undefined);
	});
}

/** Where a unit was let in with a login of its customer's. */
export interface FoundAt {
	readonly unitId: string;
	readonly address: string;
	readonly port: number;
	readonly loginId: string;
	/** The key that it showed there, in base64. */
	readonly hostKey: string;
}

/** Reaches units from now on where they were found, unless they are reached otherwise, in the transaction of an act that has asked who may. */
export async function reachWhereFoundIn(
	trx: Knex,
	customerId: string,
	found: readonly FoundAt[]
): Promise<void> {
	await trx.raw(
		`insert into unit_reach (unit_id, customer_id, address, port, login_id, host_key, tries, next_try_at)
		select f."unitId", :customerId, f.address, f.port, f."loginId", f."hostKey", 0, now()
		from jsonb_to_recordset(:found::jsonb) as f("unitId" uuid, address inet, port integer, "loginId" uuid, "hostKey" text)
		where not exists (select from unit_connection c where c.unit_id = f."unitId" and c.ended_at is null)
		on conflict do nothing`,
		{ customerId, found: JSON.stringify(found) }
	);
	const ids = found.map(({ unitId }) => unitId);
	await notify(trx, 'reach-asked', customerId, ids);
	await notify(trx, 'units', customerId, ids);
}

/** Reaches a unit no more; its login is forgotten. Engineers of its customer may. */
export const stopReaching = (unitId: string, actor: Actor): Promise<Act> =>
	database().transaction((trx) => forgetReachIn(trx, unitId, actor));

/** The same inside a transaction of the caller's. A unit that calls home stays connected. */
export async function forgetReachIn(trx: Knex, unitId: string, actor: Actor): Promise<Act> {
	const unit = await unitOf(trx, unitId);
	if (!unit) return refuse('There is no such unit.');
	if (!actor.may('reach units', unit.customer_id)) return refuse(NOT_REACHED_BY_YOU);
	const count = await trx('unit_reach').where({ unit_id: unitId }).delete();
	if (count === 0) return refuse('It is reached at no address.');
	await trx('unit').where({ id: unitId }).update({ reach_problem: null, reach_problem_at: null });
	const held = await trx('unit_connection').where({ unit_id: unitId, ended_at: null }).first('way');
	if (held?.way === 'out') await hangUp(trx, unit.customer_id, unitId);
	await notify(trx, 'units', unit.customer_id, [unitId]);
	await enterInLedger(trx, actor, [
		{
			act: 'stop reaching',
			customerId: unit.customer_id,
			subjectKind: 'unit',
			subjectId: unitId,
			words: `Unit ${unit.serial} is reached at no address any more.`
		}
	]);
	return done(undefined);
}

const unitOf = (
	trx: Knex,
	id: string
): Promise<{ serial: string; customer_id: string; model_id: string } | undefined> =>
	trx('unit').where({ id }).forUpdate().first('serial', 'customer_id', 'model_id');

export const waySchema = v.object({
	customer: v.pipe(v.string('Choose the customer.'), v.uuid('Choose the customer.')),
	name: v.pipe(shortText(120, 'Name it.'), v.minLength(1, 'Name it.')),
	kind: v.picklist(['jump', 'socks5'], 'Choose a kind.'),
	host: v.pipe(
		shortText(253, 'Say where it is.'),
		v.regex(/^[A-Za-z0-9][A-Za-z0-9.:-]*$/, 'This is neither a name nor an address.')
	),
	port: portField,
	...loginFields,
	ranges: rangesField
});
type Way = v.InferOutput<typeof waySchema>;

/** A way in as people see it. */
export interface ShownWay {
	readonly id: string;
	readonly customerId: string;
	readonly customerName: string;
	readonly name: string;
	readonly kind: 'jump' | 'socks5';
	readonly host: string;
	readonly port: number;
	readonly ranges: readonly string[];
	readonly isPinned: boolean;
	/** How many units are reached at addresses of its ranges. */
	readonly units: number;
}

/** The ways in of all customers that somebody sees, or of one. */
export async function waysOf(customerId: string | null): Promise<readonly ShownWay[]> {
	const query = database()('way_in')
		.join('customer', 'customer.id', 'way_in.customer_id')
		.orderBy(['customer.name', 'way_in.name'])
		.select(
			'way_in.id',
			'way_in.customer_id as customerId',
			'customer.name as customerName',
			'way_in.name',
			'kind',
			'host',
			'port',
			database().raw('ranges::text[] as ranges'),
			database().raw('host_key is not null as "isPinned"'),
			database().raw(
				`(select count(*)::int from unit_reach r where r.customer_id = way_in.customer_id
					and exists (select from unnest(ranges) range where range >>= r.address)) as units`
			)
		);
	return customerId ? query.where('way_in.customer_id', customerId) : query;
}

/**
 * Makes a way in. Engineers of the customer may. Refused: a name that another has; a jump host without a login.
 */
export async function saveWay(way: Way, actor: Actor): Promise<Act> {
	if (!actor.may('reach units', way.customer)) return refuse(NOT_REACHED_BY_YOU);
	const hasLogin = way.user !== '' || way.password !== '' || way.privateKey !== '';
	const problem = hasLogin || way.kind === 'jump' ? loginProblem(way) : null;
	if (problem) return refuse(problem);
	if (way.kind === 'socks5' && way.privateKey !== '')
		return refuse('A proxy takes a user and a password, no key.');
	try {
		return await database().transaction(async (trx) => {
			const id = uuid();
			await trx('way_in').insert({
				id,
				customer_id: way.customer,
				name: way.name,
				kind: way.kind,
				host: way.host,
				port: way.port,
				login: hasLogin ? seal(JSON.stringify(loginOf(way))) : null,
				ranges: trx.raw('?::cidr[]', [way.ranges])
			});
			await enterInLedger(trx, actor, [
				{
					act: 'make way in',
					customerId: way.customer,
					subjectKind: 'customer',
					subjectId: way.customer,
					words: `${way.ranges.join(', ')} are reached by way of “${way.name}” (${way.host}, port ${way.port}).`
				}
			]);
			return done(undefined);
		});
	} catch (error) {
		if (!isRefusal(error)) throw error;
		return refuse(
			error.constraint === 'way_in_name'
				? `The customer has a way in “${way.name}” already.`
				: 'A range has bits set behind its length; 10.20.0.0/16 is one.'
		);
	}
}

/** Takes a way in away; what was reached by it is reached directly, or by the next that fits. Engineers of the customer may. */
export async function removeWay(id: string, actor: Actor): Promise<Act> {
	return database().transaction(async (trx) => {
		const way = await trx('way_in').where({ id }).forUpdate().first('name', 'customer_id');
		if (!way) return refuse('It is gone already.');
		if (!actor.may('reach units', way.customer_id)) return refuse(NOT_REACHED_BY_YOU);
		await trx('way_in').where({ id }).delete();
		await enterInLedger(trx, actor, [
			{
				act: 'remove way in',
				customerId: way.customer_id,
				subjectKind: 'customer',
				subjectId: way.customer_id,
				words: `The way in “${way.name}” was removed.`
			}
		]);
		return done(undefined);
	});
}
