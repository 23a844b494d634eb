import * as v from 'valibot';
import { done, refuse, type Act } from '../act';
import { changing } from '../change';
import { database } from '../database';
import { enterInLedger, type Actor } from '../ledger';
import { notify } from '../live';

/** After how many days which secrets of a customer are to be renewed. */
export interface SecretRule {
	readonly customerId: string;
	readonly customer: string;
	/** All, unless something more special is said: '' all, `tunnels`, or `field` and its name. */
	readonly about: string;
	readonly days: number;
}

export const rulesOf = (customers: readonly string[] | null): Promise<SecretRule[]> => {
	const rules = database()('secret_rule')
		.join('customer', 'customer.id', 'customer_id')
		.orderBy(['customer.name', 'about'])
		.select('customer_id as customerId', 'customer.name as customer', 'about', 'days');
	return customers ? rules.whereIn('customer_id', [...customers]) : rules;
};

const about = v.pipe(
	v.string('About which secrets?'),
	v.regex(/^(?:|tunnels|field [a-z][a-z0-9_]{0,63})$/, 'About which secrets?')
);
const customer = v.pipe(v.string('Of which customer?'), v.uuid('Of which customer?'));
export const ruleSchema = v.object({
	customer,
	about,
	days: v.pipe(
		v.string('After how many days?'),
		v.regex(/^\d{1,4}$/, 'A whole number of days.'),
		v.transform(Number),
		v.minValue(1, 'One day at least.'),
		v.maxValue(3650, 'At most 3650 days.')
	)
});
export const droppedRuleSchema = v.object({ customer, about });

const aboutWords = (what: string): string =>
	what === '' ? 'Secrets' : what === 'tunnels' ? 'Secrets of tunnels' : what.slice('field '.length);

/** Says after how many days secrets of a customer are to be renewed. Whoever may set its values may. */
export const saveRule = (rule: v.InferOutput<typeof ruleSchema>, actor: Actor): Promise<Act> =>
	changing(async (trx) => {
		if (!actor.may('set values', rule.customer)) return refuse(NOT_YOURS);
		await trx('secret_rule')
			.insert({ customer_id: rule.customer, about: rule.about, days: rule.days })
			.onConflict(['customer_id', 'about'])
			.merge();
		await entered(
			trx,
			actor,
			rule.customer,
			`${aboutWords(rule.about)} are to be renewed after ${rule.days} days.`
		);
		return done(undefined);
	});

/** Takes such a rule away. */
export const dropRule = (rule: v.InferOutput<typeof droppedRuleSchema>, actor: Actor): Promise<Act> =>
	changing(async (trx) => {
		if (!actor.may('set values', rule.customer)) return refuse(NOT_YOURS);
		const gone = await trx('secret_rule').where({ customer_id: rule.customer, about: rule.about }).delete();
		if (gone === 0) return refuse('There is no such rule any more.');
		await entered(
			trx,
			actor,
			rule.customer,
			`${aboutWords(rule.about)} need not be renewed by a rule of their own any more.`
		);
		return done(undefined);
	});

const NOT_YOURS = 'You may not say this for this customer.';

async function entered(
	trx: Parameters<typeof enterInLedger>[0],
	actor: Actor,
	customerId: string,
	words: string
): Promise<void> {
	await notify(trx, 'plan', customerId);
	await enterInLedger(trx, actor, [
		{ act: 'set rule of secrets', customerId, subjectKind: 'customer', subjectId: customerId, words }
	]);
}
