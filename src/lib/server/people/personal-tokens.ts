import * as v from 'valibot';
import { v7 as uuid } from 'uuid';
import { done, refuse, type Act } from '../act';
import { changing } from '../change';
import { database, timeNow } from '../database';
import { enterInLedger, type Actor } from '../ledger';
import type { SignedIn } from './actor';
import { newToken, tokenHash } from './coming-in/chance';

/** Tokens by which a program acts as the person who made them: with what they may at that moment, under their name and its own. */

/** Says what kind of secret it is wherever it turns up by mistake. */
const PREFIX = 'limen_me_';
const MOST = 20;

export interface PersonalToken {
	readonly id: string;
	readonly name: string;
	readonly interrupts: boolean;
	readonly createdAt: Date;
	readonly endsAt: Date;
	readonly lastUsedAt: Date | null;
	readonly lastAddress: string | null;
}
/** A person's own that are good still, the newest first. */
export const personalTokens = (personId: string): Promise<PersonalToken[]> =>
	database()('personal_token')
		.where({ person_id: personId, revoked_at: null })
		.where('ends_at', '>', database().fn.now())
		.orderBy('created_at', 'desc')
		.select('id', 'name', 'interrupts', 'created_at as createdAt', 'ends_at as endsAt')
		.select('last_used_at as lastUsedAt', database().raw('host(last_address) as "lastAddress"'));

export const personalTokenSchema = v.object({
	name: v.pipe(
		v.string('Name it.'),
		v.trim(),
		v.minLength(1, 'Name it.'),
		v.maxLength(80, 'At most 80 characters.')
	),
	days: v.pipe(
		v.string(),
		v.transform(Number),
		v.integer('A whole number of days.'),
		v.minValue(1, 'At least one day.'),
		v.maxValue(366, 'At most a year.')
	),
	interrupts: v.optional(v.literal('on'))
});

/** Makes a token for a program of one's own; what is returned is shown once and not kept. */
export const createPersonalToken = (
	{ name, days, interrupts }: v.InferOutput<typeof personalTokenSchema>,
	actor: Actor & { readonly personId: string }
): Promise<Act<{ readonly token: string }>> =>
	changing(async (trx) => {
		const { personId } = actor;
		const held = await trx('personal_token')
			.where({ person_id: personId, revoked_at: null })
			.where('ends_at', '>', trx.fn.now())
			.count('* as count')
			.first();
		if (Number(held?.count) >= MOST) return refuse(`You have ${MOST} tokens already. End one first.`);
		const [id, token] = [uuid(), PREFIX + newToken()];
		await trx('personal_token').insert({
			...{ id, name, person_id: personId, token_hash: tokenHash(token), interrupts: interrupts === 'on' },
			ends_at: new Date(timeNow() + days * 24 * 3_600_000)
		});
		await enterInLedger(trx, actor, [
			{
				act: 'make personal token',
				customerId: null,
				subjectKind: 'token',
				subjectId: id,
				words: `${actor.name} made a token for “${name}”, good for ${days} days${interrupts ? ', also for what interrupts networks' : ''}.`
			}
		]);
		return done({ token });
	});

/** Ends one of one's own tokens at once. */
export const endPersonalToken = (id: string, actor: Actor & { readonly personId: string }): Promise<Act> =>
	changing(async (trx) => {
		const [token] = await trx('personal_token')
			.where({ id, person_id: actor.personId, revoked_at: null })
			.update({ revoked_at: trx.fn.now() })
			.returning('name');
		if (!token) return refuse('There is no such token, or it has ended.');
		await enterInLedger(trx, actor, [
			{
				act: 'end personal token',
				customerId: null,
				subjectKind: 'token',
				subjectId: id,
				words: `The token for “${token.name}” has ended.`
			}
		]);
		return done(undefined);
	});

/** As whom a program acts that shows such a token; null when it has ended, or never was, or its person was shut out. */
export async function personWith(token: string, address: string): Promise<SignedIn | null> {
	if (!token.startsWith(PREFIX)) return null;
	const { rows } = await database().raw('select * from limen_personal_token(?, ?::inet)', [
		tokenHash(token),
		address
	]);
	const [found] = rows;
	return found
		? {
				id: found.person_id,
				name: `${found.name} (${found.token_name})`,
				email: found.email,
				administrator: found.administrator,
				duties: found.duties,
				sessionId: found.token_id,
				// Whoever made it has said whether it may do what asks again who it is
				confirmedAt: found.interrupts ? timeNow() : 0
			}
		: null;
}
