import * as v from 'valibot';
import { v7 as uuid } from 'uuid';
import {
	LONGEST_CALENDAR,
	MOST_DAYS,
	windowRuleSchema,
	type Holidays,
	type WindowRule
} from '../../../core/windows';
import { done, refuse, type Act } from '../act';
import { changing } from '../change';
import { enterInLedger, type Actor } from '../ledger';
import { notify } from '../live';
import { GivenUp, offMainThread, task } from '../threads';
import type { RuleOwner } from './store';

const MEANWHILE = 'Somebody else has changed these windows meanwhile. Load the page again to see them.';

/** A rule as a form sends it: as JSON. */
export const windowFormSchema = v.object({
	rule: v.pipe(
		v.string(),
		v.maxLength(200_000, 'That is too long.'),
		v.parseJson(undefined, 'The form is not complete. Load the page again and try again.'),
		windowRuleSchema
	),
	edit: v.pipe(v.string(), v.regex(/^\d{1,9}$/), v.transform(Number))
});

/**
 * States when disruptive acts are allowed: for a customer, a pattern or a site. Whoever plans sites there may. Refused:
 * when somebody else has changed it since it was read.
 */
export const saveWindowRule = (
	owner: RuleOwner,
	{ rule, edit }: { readonly rule: WindowRule; readonly edit: number },
	actor: Actor
): Promise<Act> =>
	changing(
		async (trx) => {
			const { customerId, patternId, siteId } = owner;
			if (!actor.may('plan sites', customerId))
				return refuse('You may not change the windows of this customer.');
			const where = { customer_id: customerId, pattern_id: patternId, site_id: siteId };
			const before = await trx('window_rule').where(where).forUpdate().first('id', 'rule', 'edit');
			if ((before?.edit ?? 0) !== edit) return refuse(MEANWHILE);
			const row = { rule: JSON.stringify(rule), edit: edit + 1 };
			if (before) await trx('window_rule').where({ id: before.id }).update(row);
			else await trx('window_rule').insert({ id: uuid(), ...where, ...row });
			await enterInLedger(trx, actor, [
				{
					act: 'change windows',
					customerId,
					subjectKind: siteId ? 'site' : 'customer',
					subjectId: siteId ?? customerId,
					words: `When disruptive acts are allowed was stated again ${siteId ? 'for this site' : patternId ? 'for a pattern of sites' : 'for all its sites'}.`,
					before: before?.rule ?? {},
					after: { ...rule },
					...(patternId && { detail: { patternId } })
				}
			]);
			await notify(trx, 'plan', customerId, siteId ? [siteId] : []);
			return done(undefined);
		},
		{ one_rule_for_each: MEANWHILE }
	);

const HOLIDAYS = task<readonly [string, string, string], Holidays>('readHolidays');
const YEARS_AHEAD = 3;

/** The whole days of a calendar file from today on, some years ahead, beside those that are there. Refused: what is no such file. */
export async function withHolidays(
	rule: WindowRule,
	calendar: string,
	today: string
): Promise<Act<WindowRule>> {
	if (calendar.length > LONGEST_CALENDAR) return refuse('This calendar is longer than 256 kB.');
	const last = `${Number(today.slice(0, 4)) + YEARS_AHEAD}-12-31`;
	let read: Holidays;
	try {
		read = await offMainThread(HOLIDAYS, [calendar, today, last]);
	} catch (error) {
		if (error instanceof GivenUp)
			return refuse('This calendar takes too long to read. Give one of holidays alone.');
		throw error;
	}
	if (!read.ok) return refuse(read.message);
	const days = new Map([...rule.without, ...read.days].map((one) => [one.day, one]));
	if (days.size > MOST_DAYS) return refuse(`At most ${MOST_DAYS} days; take some out first.`);
	return done({ ...rule, without: [...days.values()].sort((one, other) => (one.day < other.day ? -1 : 1)) });
}
