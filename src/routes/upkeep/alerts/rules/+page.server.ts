import * as v from 'valibot';
import { alertRuleSchema } from '$core/alerts';
import {
	alertRuleFormSchema,
	alertRules,
	dropAlertRule,
	dropRuleSchema,
	previewRule,
	saveAlertRule
} from '$lib/server/alerts';
import { formAction } from '$lib/server/forms';
import { demand, maySee } from '$lib/server/people';
import { customers } from '$lib/server/plan';
import type { Actions, PageServerLoad } from './$types';

const LONGEST_RULE = 2_000;
const asked = v.pipe(v.string(), v.maxLength(LONGEST_RULE), v.parseJson(), alertRuleSchema);
const idSchema = v.pipe(v.string(), v.uuid());

/** What a person is told of; `?try=` is a rule as JSON, tried on the last week. */
export const load: PageServerLoad = async ({ url, locals }) => {
	demand(locals, 'see renderings');
	const [rules, all] = await Promise.all([alertRules(), customers()]);
	const tried = v.safeParse(asked, url.searchParams.get('try') ?? '');
	const of = url.searchParams.get('customer');
	const customer = v.is(idSchema, of) ? of : null;
	return {
		rules,
		mine: all.filter(({ id }) => maySee(locals, 'edit profiles', id)),
		isAdministrator: maySee(locals, 'manage people', null),
		tried: tried.success ? { rule: tried.output, ...(await previewRule(tried.output, customer)) } : null
	};
};

export const actions: Actions = {
	save: formAction(alertRuleFormSchema, { act: saveAlertRule, said: 'From now on it is told.' }),
	drop: formAction(dropRuleSchema, { act: dropAlertRule, said: 'It is no longer told.' })
};
