import * as v from 'valibot';
import { v7 as uuid } from 'uuid';
import { alertRuleSchema, ruleWords, type AlertRule } from '../../../core/alerts';
import { done, refuse, type Act } from '../act';
import { changing } from '../change';
import { database } from '../database';
import { oneId } from '../forms';
import { enterInLedger, type Actor } from '../ledger';
import { notify } from '../live';

export interface StatedAlertRule {
	readonly id: string;
	/** Whose units it is about, by name; null: everybody's. */
	readonly customer: string | null;
	readonly customerId: string | null;
	readonly name: string;
	readonly rule: AlertRule;
	readonly isOn: boolean;
	readonly edit: number;
	/** How many alerts of it go on. */
	readonly open: number;
}

/** The rules that whoever asks may see: the firm's first, then by customer. */
export async function alertRules(): Promise<readonly StatedAlertRule[]> {
	const { rows } = await database().raw(
		`select r.id, customer.name as customer, r.customer_id as "customerId", r.name, r.rule, is_on as "isOn", r.edit,
			(select count(*)::int from alert where alert.rule_id = r.id and ended_at is null) as open
		from alert_rule r left join customer on customer.id = r.customer_id order by customer.name nulls first, r.name, r.id`
	);
	return rows;
}

const MOST_RULES = 200;
const MEANWHILE = 'Somebody else has changed this rule meanwhile. Load the page again to see it.';

export const alertRuleFormSchema = v.object({
	/** None: a new one. */
	id: v.optional(v.union([v.literal(''), oneId('Which rule?')]), ''),
	/** Empty: for every customer. */
	customer: v.optional(v.union([v.literal(''), oneId('Choose a customer.')]), ''),
	name: v.pipe(
		v.string('Name it.'),
		v.trim(),
		v.minLength(1, 'Name it.'),
		v.maxLength(120, 'At most 120 characters.')
	),
	rule: v.pipe(
		v.string(),
		v.maxLength(2_000),
		v.parseJson(undefined, 'The form is not complete. Load the page again and try again.'),
		alertRuleSchema
	),
	on: v.optional(v.literal('on')),
	edit: v.optional(v.pipe(v.string(), v.regex(/^\d{1,9}$/), v.transform(Number)), '0')
});

const MAY = 'edit profiles';
/** Whether somebody may state what is told of a customer's units; of everybody's only administrators. */
const mayState = (actor: Actor, customerId: string | null): boolean =>
	customerId === null ? actor.may('manage people', null) : actor.may(MAY, customerId);

/**
 * States what a person is told of. Engineers of the customer may; for every customer, administrators. Refused: when
 * somebody else has changed it since it was read.
 */
export const saveAlertRule = (
	{ id, customer, name, rule, on, edit }: v.InferOutput<typeof alertRuleFormSchema>,
	actor: Actor
): Promise<Act> =>
	changing(async (trx) => {
		const before = id === '' ? undefined : await trx('alert_rule').where({ id }).forUpdate().first();
		if (id !== '' && !before) return refuse('There is no such rule any more.');
		const customerId: string | null = before ? before.customer_id : customer || null;
		if (!mayState(actor, customerId)) return refuse('You may not change alert rules of these units.');
		if (before && before.edit !== edit) return refuse(MEANWHILE);
		const row = { name, rule: JSON.stringify(rule), is_on: on === 'on' };
		const ruleId = before?.id ?? uuid();
		if (before)
			await trx('alert_rule')
				.where({ id })
				.update({ ...row, edit: edit + 1 });
		else {
			const stated = await trx('alert_rule').where({ customer_id: customerId }).count('* as count').first();
			if (Number(stated?.count) >= MOST_RULES) return refuse(`There are ${MOST_RULES} rules already.`);
			await trx('alert_rule').insert({ id: ruleId, customer_id: customerId, made_by: actor.name, ...row });
		}
		// What it told under its earlier words is over
		if (before) await endOf(trx, ruleId);
		await enterInLedger(trx, actor, [
			{
				act: 'state alert rule',
				customerId,
				subjectKind: 'alert rule' as const,
				subjectId: ruleId,
				words: `“${name}”: ${ruleWords(rule)}${on === 'on' ? '' : ' (off)'}.`,
				before: before ? { name: before.name, rule: before.rule, on: before.is_on } : {},
				after: { name, rule, on: on === 'on' }
			}
		]);
		return done(undefined);
	});

export const dropRuleSchema = v.object({ id: oneId('Which rule?') });
/** Drops a rule; what it told of ends. Whoever may state it may. */
export const dropAlertRule = ({ id }: v.InferOutput<typeof dropRuleSchema>, actor: Actor): Promise<Act> =>
	changing(async (trx) => {
		const rule = await trx('alert_rule').where({ id }).forUpdate().first();
		if (!rule) return refuse('There is no such rule any more.');
		if (!mayState(actor, rule.customer_id)) return refuse('You may not change alert rules of these units.');
		await endOf(trx, id);
		await trx('alert_rule').where({ id }).delete();
		await enterInLedger(trx, actor, [
			{
				act: 'drop alert rule',
				customerId: rule.customer_id,
				subjectKind: 'alert rule' as const,
				subjectId: id,
				words: `“${rule.name}” is no longer told.`,
				before: { rule: rule.rule }
			}
		]);
		return done(undefined);
	});

/** Alerts of a rule are over, in the transaction that changes it. */
async function endOf(trx: Parameters<Parameters<typeof changing>[0]>[0], ruleId: string): Promise<void> {
	const ended: { customer_id: string }[] = await trx('alert')
		.where({ rule_id: ruleId, ended_at: null })
		.update({ ended_at: trx.fn.now() })
		.returning('customer_id');
	for (const customerId of new Set(ended.map(({ customer_id }) => customer_id)))
		await notify(trx, 'alerts', customerId);
}
