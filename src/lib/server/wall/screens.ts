import { createHash, randomBytes } from 'node:crypto';
import * as v from 'valibot';
import { v7 as uuid } from 'uuid';
import { done, refuse, type Act } from '../act';
import { changing } from '../change';
import { BOOTSTRAP, database, runAs } from '../database';
import { oneId } from '../forms';
import { enterInLedger, type Actor } from '../ledger';

const TOKEN_OCTETS = 24;
const hashOf = (token: string): Buffer => createHash('sha256').update(token).digest();
const NOT_YOURS = 'Wall screens are for administrators.';

export interface WallScreen {
	readonly id: string;
	readonly name: string;
	readonly customer: string | null;
	readonly madeBy: string;
	readonly madeAt: Date;
	readonly endedAt: Date | null;
	readonly endedBy: string | null;
}

/** All screens, those that are good first. For administrators; nobody else sees any. */
export const wallScreens = (): Promise<WallScreen[]> =>
	database()('wall_screen')
		.leftJoin('customer', 'customer.id', 'customer_id')
		.orderByRaw('ended_at desc nulls first, made_at desc')
		.select(
			'wall_screen.id',
			'wall_screen.name',
			'customer.name as customer',
			'made_by as madeBy',
			'made_at as madeAt',
			'ended_at as endedAt',
			'ended_by as endedBy'
		);

export const screenSchema = v.object({
	name: v.pipe(
		v.string('Name it.'),
		v.trim(),
		v.minLength(1, 'Name it.'),
		v.maxLength(80, 'At most 80 characters.')
	),
	customer: v.optional(v.union([v.literal(''), oneId('Choose a customer.')]), '')
});

/** Makes a screen; what it gives is its token, which is shown once. Administrators may. */
export const makeScreen = (
	{ name, customer }: v.InferOutput<typeof screenSchema>,
	actor: Actor
): Promise<Act<{ readonly token: string }>> =>
	changing(async (trx) => {
		if (!actor.may('manage people', null)) return refuse(NOT_YOURS);
		const token = randomBytes(TOKEN_OCTETS).toString('base64url');
		const [id, customerId] = [uuid(), customer || null];
		if (customerId && !(await trx('customer').where({ id: customerId }).first('id')))
			return refuse('There is no such customer any more.');
		await trx('wall_screen').insert({
			id,
			name,
			customer_id: customerId,
			token_hash: hashOf(token),
			made_by: actor.name
		});
		await enterInLedger(trx, actor, [
			{
				act: 'make wall screen',
				customerId,
				subjectKind: 'token',
				subjectId: id,
				words: `The wall screen “${name}” has an address.`
			}
		]);
		return done({ token });
	});

export const endScreenSchema = v.object({ screen: oneId('Which screen?') });
/** A screen shows nothing any more. Administrators may. */
export const endScreen = (
	{ screen: id }: v.InferOutput<typeof endScreenSchema>,
	actor: Actor
): Promise<Act> =>
	changing(async (trx) => {
		if (!actor.may('manage people', null)) return refuse(NOT_YOURS);
		const [ended]: { name: string; customer_id: string | null }[] = await trx('wall_screen')
			.where({ id, ended_at: null })
			.update({ ended_at: trx.fn.now(), ended_by: actor.name })
			.returning(['name', 'customer_id']);
		if (!ended) return refuse('It has ended already.');
		await enterInLedger(trx, actor, [
			{
				act: 'end wall screen',
				customerId: ended.customer_id,
				subjectKind: 'token',
				subjectId: id,
				words: `The wall screen “${ended.name}” shows nothing any more.`
			}
		]);
		return done(undefined);
	});

export interface ScreenAt {
	readonly name: string;
	readonly customerId: string | null;
	readonly customer: string | null;
}
/** Which screen an address is of; null when of none, or of one that has ended. Anybody may ask. */
export const screenAt = (token: string): Promise<ScreenAt | null> =>
	runAs(BOOTSTRAP, async () => {
		const row: ScreenAt | undefined = await database()('wall_screen')
			.leftJoin('customer', 'customer.id', 'customer_id')
			.where({ token_hash: hashOf(token), ended_at: null })
			.first('wall_screen.name', 'customer_id as customerId', 'customer.name as customer');
		return row ?? null;
	});
