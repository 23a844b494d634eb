import { v7 as uuid } from 'uuid';
import type { PersonAct } from '../../../core/people';
import { done, refuse, type Act } from '../act';
import { database, isRefusal, timeNow } from '../database';
import { enterInLedger, type Actor } from '../ledger';
import type { Program } from './actor';
import { newToken, tokenHash } from './coming-in/chance';

/** What programs may be allowed. */
export const TOKEN_ACTS = [
	'see',
	'see renderings',
	'claim',
	'bind',
	'unbind',
	'retry',
	'prove'
] as const satisfies readonly PersonAct[];
export type TokenAct = (typeof TOKEN_ACTS)[number];

/** Says what kind of secret it is wherever it turns up by mistake. */
const PREFIX = 'limen_';

export interface ServiceToken {
	readonly id: string;
	readonly name: string;
	readonly acts: readonly TokenAct[];
	readonly customers: readonly string[];
	readonly createdAt: Date;
	readonly endsAt: Date;
	readonly lastUsedAt: Date | null;
	readonly lastAddress: string | null;
	readonly revokedAt: Date | null;
}

export async function serviceTokens(): Promise<ServiceToken[]> {
	const { rows } = await database().raw(
		`select id, name, acts, created_at as "createdAt", ends_at as "endsAt", last_used_at as "lastUsedAt",
			host(last_address) as "lastAddress", revoked_at as "revokedAt",
			array(select customer_id from service_token_customer where token_id = id) as customers
		from service_token order by revoked_at nulls first, name`
	);
	return rows;
}

export interface TokenWanted {
	readonly name: string;
	readonly acts: readonly TokenAct[];
	readonly customers: readonly string[];
	readonly days: number;
}

/** Makes a token; what is returned is shown once and not kept. */
export async function createToken(
	wanted: TokenWanted,
	actor: Actor
): Promise<Act<{ id: string; token: string }>> {
	if (!actor.may('manage tokens', null) || !actor.personId)
		return refuse('Service tokens are made by administrators.');
	const id = uuid();
	const token = PREFIX + newToken();
	try {
		await database().transaction(async (trx) => {
			await trx('service_token').insert({
				id,
				name: wanted.name,
				token_hash: tokenHash(token),
				acts: wanted.acts,
				created_by: actor.personId,
				ends_at: new Date(timeNow() + wanted.days * 24 * 3_600_000)
			});
			await trx('service_token_customer').insert(
				wanted.customers.map((customer_id) => ({ token_id: id, customer_id }))
			);
			await enterInLedger(trx, actor, [
				{
					act: 'make service token',
					customerId: null,
					subjectKind: 'token',
					subjectId: id,
					words: `Service token “${wanted.name}” made, good for ${wanted.days} days.`,
					after: { acts: wanted.acts, customers: wanted.customers }
				}
			]);
		});
	} catch (error) {
		if (!isRefusal(error)) throw error;
		return refuse(
			error.constraint === 'service_token_name_key'
				? `There is a token called “${wanted.name}” already.`
				: 'There is no such customer.'
		);
	}
	return done({ id, token });
}

/** Ends a token at once. */
export async function revokeToken(id: string, actor: Actor): Promise<Act> {
	if (!actor.may('manage tokens', null)) return refuse('Service tokens are revoked by administrators.');
	return database().transaction(async (trx) => {
		const [token] = await trx('service_token')
			.where({ id })
			.whereNull('revoked_at')
			.update({ revoked_at: trx.fn.now() })
			.returning('name');
		if (!token) return refuse('There is no such token, or it has been revoked.');
		await enterInLedger(trx, actor, [
			{
				act: 'revoke service token',
				customerId: null,
				subjectKind: 'token',
				subjectId: id,
				words: `Service token “${token.name}” revoked.`
			}
		]);
		return done(undefined);
	});
}

/** The program that holds a token; null when it has ended, was revoked or never was. */
export async function programWith(token: string, address: string): Promise<Program | null> {
	if (!token.startsWith(PREFIX)) return null;
	const { rows } = await database().raw('select * from limen_service_token(?, ?::inet)', [
		tokenHash(token),
		address
	]);
	const [found] = rows;
	return found
		? { tokenId: found.token_id, name: found.name, acts: found.acts, customers: found.customers }
		: null;
}
