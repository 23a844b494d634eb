import * as v from 'valibot';
import { done, refuse, type Act } from '../act';
import { changing } from '../change';
import { database } from '../database';
import { enterInLedger, type Actor } from '../ledger';

/** How a customer's units are looked after. */
export interface UpkeepRule {
	readonly reads: 'daily' | 'weekly' | 'never';
	readonly keepVersions: number;
	readonly keepDays: number;
	/** So many of its units that are held are put back in an hour at most. */
	readonly holdAnHour: number;
}
export const USUAL_RULE: UpkeepRule = { reads: 'daily', keepVersions: 50, keepDays: 730, holdAnHour: 6 };

export const upkeepRuleOf = async (customerId: string): Promise<UpkeepRule> =>
	(await database()('upkeep_rule')
		.where({ customer_id: customerId })
		.first(
			'reads',
			'keep_versions as keepVersions',
			'keep_days as keepDays',
			'hold_an_hour as holdAnHour'
		)) ?? USUAL_RULE;

const wholeNumber = (what: string, least: number, most: number) =>
	v.pipe(
		v.string(),
		v.trim(),
		v.regex(/^\d{1,9}$/, `How many ${what}? Write a whole number.`),
		v.transform(Number),
		v.minValue(least, `At least ${least} ${what}.`),
		v.maxValue(most, `At most ${most.toLocaleString('en')} ${what}.`)
	);
export const upkeepRuleSchema = v.object({
	reads: v.picklist(['daily', 'weekly', 'never'], 'Say how often their configurations are read.'),
	keepVersions: wholeNumber('versions', 2, 10_000),
	keepDays: wholeNumber('days', 7, 36_500),
	holdAnHour: wholeNumber('units an hour', 1, 1000)
});

/** Says how often a customer's units are read and how long what they ran is kept. Whoever plans sites there may. */
export const saveUpkeepRule = (customerId: string, rule: UpkeepRule, actor: Actor): Promise<Act> =>
	changing(async (trx) => {
		if (!actor.may('plan sites', customerId)) return refuse('You may not change this for this customer.');
		const [before] = await trx('upkeep_rule').where({ customer_id: customerId }).select('*');
		await trx('upkeep_rule')
			.insert({
				customer_id: customerId,
				reads: rule.reads,
				keep_versions: rule.keepVersions,
				keep_days: rule.keepDays,
				hold_an_hour: rule.holdAnHour
			})
			.onConflict('customer_id')
			.merge();
		await enterInLedger(trx, actor, [
			{
				act: 'change upkeep',
				customerId,
				subjectKind: 'customer',
				subjectId: customerId,
				words: `Configurations are read ${rule.reads}; ${rule.keepVersions} versions of each are kept, for ${rule.keepDays} days; ${rule.holdAnHour} that are held are put back in an hour at most.`,
				before: before ?? {},
				after: { ...rule }
			}
		]);
		return done(undefined);
	});
