import type { Knex } from 'knex';
import { v7 as uuid } from 'uuid';
import { NO_RULES } from '../../../core/config';
import { done, refuse, type Act } from '../act';
import { callHomeKey, callHomeKeys, seal, unseal } from '../keys';
import { enterInLedger, type Actor } from '../ledger';
import { notify } from '../live';
import { fieldsOfRevision, renderApart, renderingSources, type RenderingSource } from '../profile';
import { judged } from '../proof';
import { boundUnit, sendTogether } from '../send';
import { newSecret, putIntoPlan, type Was } from './renew';
import { holdersOf, lockedSecrets, type HeldSecret } from './store';
import { trialsOf, type LoginPair } from './trials';

type Unit = NonNullable<Awaited<ReturnType<typeof boundUnit>>>;

/** What is to be renewed at a unit. */
export interface Rotating {
	/** Of the plan; none where it is Limen's own key that the unit is to trust. */
	readonly secrets: readonly string[];
	/** What was made since then is not made once more: others were given it already. Nor is what some still lack. */
	readonly since: Date | null;
	readonly asked: boolean;
}

/**
 * Renews secrets at a unit, and at the other end of each tunnel among them: made by Limen, put into the plan, and sent in
 * sends that are confirmed together or not at all; what comes of it is proved afterwards. In the transaction of another act;
 * the id of the rotation. Whoever may send at the customer and set its values may. Refused: what somebody else gives; a tunnel
 * without a unit at its other end; where something else is due at one of the units; as `sendAt` refuses.
 */
export async function rotateAt(
	trx: Knex,
	unitId: string,
	{ secrets, since, asked }: Rotating,
	actor: Actor
): Promise<Act<string>> {
	const unit = await boundUnit(unitId, trx);
	if (!unit) return refuse('This unit is bound to no position.');
	if (!actor.may('send', unit.customerId) || !actor.may('set values', unit.customerId))
		return refuse('You may not renew secrets of this customer.');
	const held = await lockedSecrets(trx, secrets);
	if (held.length < secrets.length) return refuse('One of its secrets is no longer in the plan.');
	const units = await endsOf(trx, unit, held);
	if (!units.ok) return units;
	const before = await sourcesOf(trx, units.done);
	const holders = await holdersOf(trx, secrets);
	const fresh = held.filter(
		(one) =>
			!holders.some(({ secretId, runsOld }) => secretId === one.id && runsOld && one.previous !== null) &&
			(since === null || one.since === null || one.since < since)
	);
	const given = fresh.filter(({ isGiven }) => isGiven);
	if (given.length > 0) return refuse(givenWords(given));
	for (const secret of fresh) {
		const made = await newSecret(
			trx,
			holders.flatMap(({ secretId, unitId: one }) => (secretId === secret.id ? [one] : [])),
			shortestOf(secret, before.get(unit.positionId)!)
		);
		if (made === null)
			return refuse(`No secret for ${secret.name} suits all units that get it, by their packs.`);
		await putIntoPlan(trx, secret, seal(made));
	}
	const now = await sourcesOf(trx, units.done);
	for (const end of units.done) {
		const sources = { before: before.get(end.positionId)!, now: now.get(end.positionId)! };
		const due = await onlyTheSecret(trx, end, sources, held);
		if (!due.ok) return due;
	}
	const id = uuid();
	await trx('rotation').insert({
		id,
		unit_id: unitId,
		customer_id: unit.customerId,
		of_key: held.length === 0,
		asked_by: actor.name
	});
	if (held.length > 0)
		await trx('rotation_secret').insert(
			held.map((secret) => ({
				rotation_id: id,
				secret_id: secret.id,
				customer_id: unit.customerId,
				...(fresh.includes(secret) && { was: JSON.stringify(wasOf(secret)), before: secret.value })
			}))
		);
	const sent = await sendTogether(
		trx,
		units.done.map((end) => end.unitId),
		{ wanted: { kind: 'due' }, asked, ...(units.done.length > 1 && { together: id }) },
		actor
	);
	if (!sent.ok) return sent;
	await trx('rotation_end').insert(
		units.done.map((end) => {
			const trials: readonly LoginPair[] = trialsOf(held, now.get(end.positionId)!);
			return {
				rotation_id: id,
				unit_id: end.unitId,
				position_id: end.positionId,
				customer_id: unit.customerId,
				send_id: sent.done.get(end.unitId)!,
				trials: trials.length > 0 ? seal(JSON.stringify(trials)) : null
			};
		})
	);
	await enterInLedger(trx, actor, [
		{
			act: 'renew secrets',
			customerId: unit.customerId,
			subjectKind: 'unit',
			subjectId: unitId,
			words: `${held.length === 0 ? 'Limen’s own key' : held.map(({ name }) => name).join(', ')} is renewed at ${units.done.map(({ positionName, siteName }) => `${positionName}, ${siteName}`).join(' and ')}.`,
			detail: { rotationId: id }
		}
	]);
	await notify(trx, 'plan', unit.customerId);
	return done(id);
}

/** How long its field wants it at least. */
function shortestOf({ field }: HeldSecret, { revision }: RenderingSource): number {
	const type = revision && fieldsOfRevision(revision).find(({ name }) => name === field)?.type;
	return type?.kind === 'secret' ? (type.shortest ?? 0) : 0;
}

const wasOf = ({ since, personId, isMade, previous, provedAt, proof }: HeldSecret): Was => ({
	since,
	personId,
	isMade,
	previous,
	provedAt,
	proof
});

/** The unit, and those at the other ends of its tunnels. */
async function endsOf(trx: Knex, unit: Unit, held: readonly HeldSecret[]): Promise<Act<readonly Unit[]>> {
	const units = [unit];
	for (const { ends, name } of held)
		for (const positionId of ends) {
			if (units.some((one) => one.positionId === positionId)) continue;
			const bound = await trx('binding').where({ position_id: positionId }).first('unit_id as unitId');
			const other = bound && (await boundUnit(bound.unitId, trx));
			if (!other) return refuse(`The tunnel ${name} has no unit at its other end yet.`);
			units.push(other);
		}
	return done(units);
}

async function sourcesOf(trx: Knex, units: readonly Unit[]): Promise<Map<string, RenderingSource>> {
	return renderingSources(
		trx,
		units.map(({ positionId }) => positionId)
	);
}

export const givenWords = (given: readonly Pick<HeldSecret, 'name'>[]): string =>
	`${[...new Set(given.map(({ name }) => name))].join(', ')} ${given.length === 1 ? 'is' : 'are'} given by somebody else: Limen does not make it.`;

/**
 * Whether what is due at a unit differs from what it was given by these secrets alone: nothing else goes along unseen. It is
 * compared with what would be due with the secrets that the unit runs.
 */
async function onlyTheSecret(
	trx: Knex,
	{ unitId, positionId, positionName, siteName }: Unit,
	{ before, now }: { readonly before: RenderingSource; readonly now: RenderingSource },
	held: readonly HeldSecret[]
): Promise<Act> {
	const row = await trx('served')
		.where({ position_id: positionId, unit_id: unitId })
		.orderBy('turn', 'desc')
		.first('rendering', 'at');
	if (!row) return refuse('Nothing was given to this unit here yet.');
	const loginKey: string | null =
		(await trx('unit').where({ id: unitId }).first('login_key'))?.login_key ?? null;
	const [was, is] = await Promise.all([
		renderApart(withOld(before, held, row.at, loginKey)),
		renderApart(now)
	]);
	const place = `${positionName} at ${siteName}`;
	if (!was.ok || !is.ok) return refuse(`What ${place} should run cannot be computed.`);
	const { dialect, rules } = now.model!;
	const same = async (one: string, other: string) =>
		one === other ||
		(
			await judged({
				dialect,
				rules: { ...NO_RULES, ...rules },
				intended: one,
				running: other,
				targetVersion: null,
				runningVersion: ''
			})
		).holds;
	if (!(await same(unseal(row.rendering), was.text)))
		return refuse(`Something else is due at ${place} as well: send that first.`);
	if (was.text === is.text) return refuse(`The unit at ${place} does not use it.`);
	return done(undefined);
}

/** The source with the secrets that its unit runs: those before, where it was given nothing since they were made. */
function withOld(
	source: RenderingSource,
	held: readonly HeldSecret[],
	givenAt: Date,
	loginKey: string | null
): RenderingSource {
	const key = callHomeKeys().find(({ fingerprint }) => fingerprint === loginKey);
	if (held.length === 0)
		return { ...source, publicKey: (key ?? callHomeKeys().at(-1) ?? callHomeKey()).public };
	const scoped = { ...source.scoped };
	let { tunnels } = source;
	for (const { scope, field, name, previous, since } of held) {
		if (previous === null || (since !== null && givenAt >= since)) continue;
		const secret = unseal(previous);
		if (scope === 'tunnel') tunnels = tunnels.map((one) => (one.name === name ? { ...one, secret } : one));
		else scoped[scope] = { ...scoped[scope], [field]: secret };
	}
	return { ...source, scoped, tunnels };
}
