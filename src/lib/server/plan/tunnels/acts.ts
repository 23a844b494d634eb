import { randomBytes } from 'node:crypto';
import type { Knex } from 'knex';
import { v7 as uuid } from 'uuid';
import * as v from 'valibot';
import { allot, printPrefix } from '../../../../core/address';
import { tunnelName } from '../../../../core/plan';
import { counted } from '../../../../core/text';
import { done, refuse, type Act, type Refusal } from '../../act';
import { changing, TakenBack } from '../../change';
import { database } from '../../database';
import { enterInLedger, type Actor } from '../../ledger';
import { seal } from '../../keys';
import { notify } from '../../live';
import { allotments, NOT_YOURS, pools, spaceOf, type Pool } from '../pools/pool-space';
import { WANTED } from './store';

export const tunnelSchema = v.object({
	customer: v.pipe(v.string(), v.uuid('Choose a customer.')),
	near: v.pipe(v.string(), v.uuid('Choose where it begins.')),
	far: v.pipe(v.string(), v.uuid('Choose where it leads.'))
});

/** Plans one tunnel. Refused: the same place twice, two of one pair, no pool of tunnels or none left in it. */
export const planTunnel = (
	{ customer, near, far }: v.InferOutput<typeof tunnelSchema>,
	actor: Actor
): Promise<Act<{ name: string }>> =>
	changing(async (trx) => {
		if (!actor.may('plan addresses', customer)) return refuse(NOT_YOURS);
		if (near === far) return refuse('A tunnel has two different ends.');
		const { rows } = await trx.raw(
			`select position.id, site.name as "siteName", site.id as "siteId" from position join site on site.id = position.site_id
			where position.customer_id = ? and position.id = any (?::uuid[])`,
			[customer, [near, far]]
		);
		const begin = (rows as { id: string; siteName: string; siteId: string }[]).find(({ id }) => id === near);
		if (!begin || rows.length < 2) return refuse('One of its ends is no position of this customer.');
		const there = await trx('tunnel')
			.whereIn('near_position', [near, far])
			.whereIn('far_position', [near, far])
			.first('name');
		if (there) return refuse(`These two have a tunnel already: ${there.name}.`);
		const made = await makeTunnels(trx, customer, [
			{ near, far, siteName: begin.siteName, siteId: begin.siteId }
		]);
		if (!made.ok) throw new TakenBack(made);
		await enterInLedger(trx, actor, [
			{
				act: 'plan tunnel',
				customerId: customer,
				subjectKind: 'site',
				subjectId: begin.siteId,
				words: `The tunnel ${made.done[0]} was planned; both its ends’ configurations change.`
			}
		]);
		return done({ name: made.done[0]! });
	});

interface Pair {
	readonly near: string;
	readonly far: string;
	readonly siteName: string;
	readonly siteId: string;
}

/** Makes tunnels in an act's transaction; their names. All or none: refused when the pool has too few left. */
async function makeTunnels(
	trx: Knex,
	customerId: string,
	pairs: readonly Pair[]
): Promise<Act<readonly string[]>> {
	const locked = await trx('pool')
		.where({ customer_id: customerId, scope: 'tunnel' })
		.forUpdate()
		.first('id');
	const pool = locked && (await pools(trx).where('pool.id', locked.id))[0];
	if (!pool) return refuse('The customer has no pool of tunnels yet. Make one under Addresses.');
	const result = allot(
		spaceOf(pool, await allotments(trx, pool.id)),
		pool.length!,
		pairs.length,
		pool.policy
	);
	if (result.missing > 0)
		return refuse(
			`There is room for ${counted(result.blocks.length, 'more tunnel')} in pool “${pool.name}”, and ${pairs.length} are wanted.`
		);
	const taken = new Set<string>(await trx('tunnel').where({ customer_id: customerId }).pluck('name'));
	const rows = await Promise.all(
		pairs.map(async ({ near, far, siteName }, index) => {
			const name = tunnelName(siteName, taken);
			taken.add(name);
			return {
				id: uuid(),
				customer_id: customerId,
				name,
				near_position: near,
				far_position: far,
				block: printPrefix(result.blocks[index]!),
				secret: newSecret()
			};
		})
	);
	await trx.batchInsert('tunnel', rows, 500);
	await trx.batchInsert('allotment', rows.map(heldIn(pool)), 500);
	await notify(trx, 'plan', customerId);
	return done(rows.map(({ name }) => name));
}

const heldIn =
	(pool: Pool) =>
	({ id, block }: { readonly id: string; readonly block: string }) => ({
		id: uuid(),
		pool_id: pool.id,
		customer_id: pool.customerId,
		block,
		tunnel_id: id
	});

/** 160 bits, in letters and digits that no maker's configuration has a meaning for. */
const newSecret = (): string => seal(randomBytes(20).toString('hex'));

/**
 * Gives the sites of a pattern the tunnels that it says they have, in the transaction of another act: those that have
 * none yet. Returns how many were made; or why not, and then the transaction must not be kept.
 */
export async function tunnelAsPattern(
	trx: Knex,
	patternId: string,
	siteIds: readonly string[] | null
): Promise<Act<number>> {
	const { rows } = await trx.raw(
		`select wanted.*, pattern.customer_id from (${WANTED}) wanted join site_pattern pattern on pattern.id = wanted.pattern_id
		where wanted.pattern_id = :pattern and (:sites::uuid[] is null or wanted.site_id = any (:sites::uuid[])) order by site_name`,
		{ pattern: patternId, sites: siteIds && [...siteIds] }
	);
	if (rows.length === 0) return done(0);
	const made = await makeTunnels(
		trx,
		rows[0].customer_id,
		rows.map((row: Readonly<Record<string, string>>) => ({
			near: row.near_position,
			far: row.far_position,
			siteName: row.site_name,
			siteId: row.site_id
		}))
	);
	return made.ok ? done(made.done.length) : made;
}

/** Gives all sites of a pattern that have none yet the tunnel that it says they have. */
export const planWantedTunnels = (patternId: string, actor: Actor): Promise<Act<{ count: number }>> =>
	changing(async (trx) => {
		const pattern = await trx('site_pattern').where({ id: patternId }).first('name', 'customer_id');
		if (!pattern) return refuse('There is no such pattern any more.');
		if (!actor.may('plan addresses', pattern.customer_id)) return refuse(NOT_YOURS);
		const made = await tunnelAsPattern(trx, patternId, null);
		if (!made.ok) throw new TakenBack(made);
		if (made.done === 0) return refuse('All its sites have their tunnel already.');
		await enterInLedger(trx, actor, [
			{
				act: 'plan tunnel',
				customerId: pattern.customer_id,
				subjectKind: 'pattern',
				subjectId: patternId,
				words: `${counted(made.done, 'tunnel')} planned for the sites of pattern “${pattern.name}”.`
			}
		]);
		return done({ count: made.done });
	});

/** A tunnel that somebody may change, locked; or why not. */
async function changeable(trx: Knex, id: string, actor: Actor) {
	const tunnel = await trx('tunnel').where({ id }).forUpdate().first('name', 'customer_id as customerId');
	if (!tunnel) return { ok: false as const, refusal: refuse('This tunnel is gone already.') };
	if (!actor.may('plan addresses', tunnel.customerId))
		return { ok: false as const, refusal: refuse(NOT_YOURS) };
	return { ok: true as const, tunnel: tunnel as { readonly name: string; readonly customerId: string } };
}

const changeTunnel = (
	id: string,
	actor: Actor,
	act: 'remove tunnel' | 'renew tunnel secret',
	words: (name: string) => string,
	change: (tunnel: Knex.QueryBuilder) => Promise<unknown>
): Promise<Act<{ name: string }>> =>
	database().transaction(async (trx): Promise<Act<{ name: string }> | Refusal> => {
		const found = await changeable(trx, id, actor);
		if (!found.ok) return found.refusal;
		const { name, customerId } = found.tunnel;
		await change(trx('tunnel').where({ id }));
		await notify(trx, 'plan', customerId);
		await enterInLedger(trx, actor, [
			{ act, customerId, subjectKind: 'customer', subjectId: customerId, words: words(name) }
		]);
		return done({ name });
	});

/** Takes a tunnel out of the plan: its addresses go back to the pool, both ends' renderings lose it. */
export const removeTunnel = (id: string, actor: Actor) =>
	changeTunnel(
		id,
		actor,
		'remove tunnel',
		(name) => `The tunnel ${name} was taken out of the plan; both its ends’ configurations change.`,
		(tunnel) => tunnel.delete()
	);

/** Gives a tunnel another secret in the plan, such as one that no unit runs yet. */
export const renewTunnelSecret = (id: string, actor: Actor) =>
	changeTunnel(
		id,
		actor,
		'renew tunnel secret',
		(name) => `The tunnel ${name} has a new secret; both its ends’ configurations change.`,
		(tunnel) => tunnel.update({ secret: newSecret() })
	);
