import { randomBytes } from 'node:crypto';
import type { Knex } from 'knex';
import * as v from 'valibot';
import { v7 as uuid } from 'uuid';
import { HAPPENINGS_IN_ORDER, type Happening, type Told } from '../../../core/webhooks';
import { done, refuse, type Act } from '../act';
import { changing } from '../change';
import { database } from '../database';
import { editNumber, oneId } from '../forms';
import { seal } from '../keys';
import { enterInLedger, type Actor, type LedgerAct } from '../ledger';
import { notify } from '../live';
import { outwardProblem } from '../outward';

/** Where programs are told what happens; for administrators, who alone see and change them. */
export interface Webhook {
	readonly id: string;
	readonly name: string;
	readonly url: string;
	readonly customerId: string | null;
	readonly customer: string | null;
	readonly kinds: readonly Happening[];
	readonly isOn: boolean;
	readonly edit: number;
	readonly madeBy: string;
	readonly madeAt: Date;
	/** Failures on end; what was wrong last, and when it is tried again. */
	readonly failures: number;
	readonly trouble: string;
	readonly nextAt: Date;
	readonly waiting: number;
	readonly taken: number;
	readonly givenUp: number;
}

/** All that have not been ended, by name. */
export const webhooks = (): Promise<Webhook[]> => read(null);
export const webhookById = async (id: string): Promise<Webhook | null> => (await read(id))[0] ?? null;

async function read(id: string | null): Promise<Webhook[]> {
	const { rows } = await database().raw(
		`select webhook.id, webhook.name, url, customer_id as "customerId", customer.name as customer, kinds, is_on as "isOn", webhook.edit, made_by as "madeBy",
			made_at as "madeAt", failures, trouble, next_at as "nextAt", d.*
		from webhook left join customer on customer.id = customer_id cross join lateral (
			select count(*) filter (where taken_at is null and given_up_at is null)::int as waiting,
				count(taken_at)::int as taken, count(given_up_at)::int as "givenUp" from webhook_delivery d where d.webhook_id = webhook.id
		) d where ended_at is null and (:id::uuid is null or webhook.id = :id::uuid) order by lower(webhook.name), webhook.id`,
		{ id }
	);
	return rows;
}

const MOST = 50;
const NOT_YOURS = 'Webhooks are for administrators.';
const GONE = 'There is no such webhook any more.';
const isTheirs = (actor: Actor): boolean => actor.may('manage people', null);

export const webhookFormSchema = v.object({
	/** None: a new one. */
	id: v.optional(v.union([v.literal(''), oneId('Which webhook?')]), ''),
	name: v.pipe(
		v.string('Name it.'),
		v.trim(),
		v.minLength(1, 'Name it.'),
		v.maxLength(80, 'At most 80 characters.')
	),
	url: v.pipe(
		v.string('Which address?'),
		v.trim(),
		v.maxLength(2_000, 'At most 2,000 characters.'),
		v.rawCheck(({ dataset, addIssue }) => {
			const problem = dataset.typed ? outwardProblem(dataset.value) : null;
			if (problem) addIssue({ message: problem });
		})
	),
	/** Empty: everybody's. */
	customer: v.optional(v.union([v.literal(''), oneId('Choose a customer.')]), ''),
	on: v.optional(v.literal('on')),
	edit: v.optional(editNumber, '0'),
	kinds: v.pipe(
		v.optional(v.union([v.string(), v.array(v.string())]), []),
		v.transform((given) => [given].flat()),
		v.array(v.picklist(HAPPENINGS_IN_ORDER, 'Choose what it is told.')),
		v.minLength(1, 'Choose what it is told.'),
		v.transform((given) => HAPPENINGS_IN_ORDER.filter((kind) => given.includes(kind)))
	)
});

const newSecret = (): string => randomBytes(32).toString('base64');

/**
 * States where programs are told, and what of. Administrators may. A new one gives the secret with which it is signed, this
 * once. Refused: when somebody else has changed it since it was read.
 */
export const saveWebhook = (
	{ id, name, url, customer, kinds, on, edit }: v.InferOutput<typeof webhookFormSchema>,
	actor: Actor
): Promise<Act<{ readonly secret: string | null }>> =>
	changing(async (trx) => {
		if (!isTheirs(actor)) return refuse(NOT_YOURS);
		const customerId = customer || null;
		if (customerId && !(await trx('customer').where({ id: customerId }).first('id')))
			return refuse('There is no such customer any more.');
		const before =
			id === '' ? undefined : await trx('webhook').where({ id, ended_at: null }).forUpdate().first();
		if (id !== '' && !before) return refuse(GONE);
		if (before && before.edit !== edit)
			return refuse('Somebody else has changed this webhook meanwhile. Load the page again to see it.');
		const row = { name, url, customer_id: customerId, kinds, is_on: id === '' || on === 'on' };
		const webhookId: string = before?.id ?? uuid();
		const secret = before ? null : newSecret();
		if (before)
			await trx('webhook')
				.where({ id })
				// What was wrong with the earlier address says nothing of this one
				.update({ ...row, edit: edit + 1, failures: 0, trouble: '', next_at: trx.fn.now() });
		else {
			const stated = await trx('webhook').whereNull('ended_at').count('* as count').first();
			if (Number(stated?.count) >= MOST) return refuse(`There are ${MOST} webhooks already.`);
			await trx('webhook').insert({ id: webhookId, made_by: actor.name, secret: seal(secret!), ...row });
		}
		await entered(
			trx,
			actor,
			{ id: webhookId, customer_id: customerId },
			{
				act: 'state webhook',
				words: `The webhook “${name}” tells ${new URL(url).host} of ${kinds.length} kinds of events${row.is_on ? '' : '; it is off'}.`,
				// Of the address no more than where: what stands behind it can be a secret of the receiver's
				before: before
					? { name: before.name, to: new URL(before.url).origin, kinds: before.kinds, on: before.is_on }
					: {},
				after: { name, to: new URL(url).origin, kinds, on: row.is_on }
			}
		);
		await wake(trx);
		return done({ secret });
	});

export const webhookSchema = v.object({ webhook: oneId('Which webhook?') });
type Which = v.InferOutput<typeof webhookSchema>;

/** Signs with a new secret from now on, and gives it, this once. Administrators may. */
export const renewSecret = (
	{ webhook: id }: Which,
	actor: Actor
): Promise<Act<{ readonly secret: string }>> =>
	ofTheirs(id, actor, async (trx, webhook) => {
		const secret = newSecret();
		await trx('webhook')
			.where({ id })
			.update({ secret: seal(secret) });
		await entered(trx, actor, webhook, {
			act: 'renew webhook secret',
			words: `What the webhook “${webhook.name}” tells is signed with a new secret.`
		});
		return done({ secret });
	});

/** Nothing is told there any more; what waits is given up. Administrators may. */
export const endWebhook = ({ webhook: id }: Which, actor: Actor): Promise<Act> =>
	ofTheirs(id, actor, async (trx, webhook) => {
		await trx('webhook').where({ id }).update({ ended_at: trx.fn.now(), ended_by: actor.name });
		await trx('webhook_delivery')
			.where({ webhook_id: id, taken_at: null, given_up_at: null })
			.update({ given_up_at: trx.fn.now(), trouble: 'The webhook was ended.' });
		await entered(trx, actor, webhook, {
			act: 'end webhook',
			words: `The webhook “${webhook.name}” tells nothing any more.`
		});
		return done(undefined);
	});

/** Tells it that somebody tries whether it hears. Administrators may. */
export const tryWebhook = ({ webhook: id }: Which, actor: Actor): Promise<Act> =>
	ofTheirs(id, actor, async (trx, webhook) => {
		if (!webhook.is_on) return refuse('It is off: nothing is told.');
		const kind: Told['kind'] = 'webhook.tried';
		await trx('webhook_delivery').insert({
			id: uuid(),
			webhook_id: id,
			event_id: uuid(),
			customer_id: webhook.customer_id,
			kind,
			data: JSON.stringify({ words: `${actor.name} tries whether this is heard.` })
		});
		// Whoever tries it has put right what was wrong, or wants to know at once
		await trx('webhook').where({ id }).update({ next_at: trx.fn.now() });
		await entered(trx, actor, webhook, {
			act: 'try webhook',
			words: `Tried whether “${webhook.name}” hears.`
		});
		await wake(trx);
		return done(undefined);
	});

export const deliverySchema = v.object({ delivery: oneId('Which one?') });
/** Tells it again what it was told, or was given up. Administrators may. */
export const tellAgain = (
	{ delivery: id }: v.InferOutput<typeof deliverySchema>,
	actor: Actor
): Promise<Act> =>
	changing(async (trx) => {
		if (!isTheirs(actor)) return refuse(NOT_YOURS);
		const delivery = await trx('webhook_delivery').where({ id }).forUpdate().first();
		const webhook: Row | undefined =
			delivery && (await trx('webhook').where({ id: delivery.webhook_id, ended_at: null }).first());
		if (!webhook) return refuse('It is not kept any more.');
		if (!delivery.taken_at && !delivery.given_up_at) return refuse('It waits to be told already.');
		await trx('webhook_delivery').where({ id }).update({ taken_at: null, given_up_at: null });
		await trx('webhook').where({ id: webhook.id }).update({ next_at: trx.fn.now() });
		await entered(trx, actor, webhook, {
			act: 'tell webhook again',
			words: `“${webhook.name}” is told again of ${delivery.kind}.`
		});
		await wake(trx);
		return done(undefined);
	});

interface Row {
	readonly id: string;
	readonly name: string;
	readonly customer_id: string | null;
	readonly is_on: boolean;
}

const ofTheirs = <Given>(
	id: string,
	actor: Actor,
	act: (trx: Knex, webhook: Row) => Promise<Act<Given>>
): Promise<Act<Given>> =>
	changing(async (trx) => {
		if (!isTheirs(actor)) return refuse(NOT_YOURS);
		const webhook: Row | undefined = await trx('webhook').where({ id, ended_at: null }).forUpdate().first();
		return webhook ? act(trx, webhook) : refuse(GONE);
	});

async function entered(
	trx: Knex,
	actor: Actor,
	{ id, customer_id }: Pick<Row, 'id' | 'customer_id'>,
	said: Pick<LedgerAct, 'act' | 'words' | 'before' | 'after'>
): Promise<void> {
	await enterInLedger(trx, actor, [
		{ customerId: customer_id, subjectKind: 'webhook', subjectId: id, ...said }
	]);
	await notify(trx, 'webhooks', null, [id]);
}

const wake = (trx: Knex): Promise<void> => notify(trx, 'webhook-due', null);
