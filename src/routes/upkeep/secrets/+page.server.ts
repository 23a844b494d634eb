import { timeNow } from '$lib/server/database';
import * as v from 'valibot';
import { formAction, manyIds } from '$lib/server/forms';
import { customersWhere, demand } from '$lib/server/people';
import { draftRenewal, MOST_RENEWED } from '$lib/server/rollout';
import {
	callHomeKeyStanding,
	dropRule,
	droppedRuleSchema,
	MOST_SECRETS,
	renewCallHomeKey,
	ruleSchema,
	rulesOf,
	saveRule,
	secrets
} from '$lib/server/secrets';
import type { Actions, PageServerLoad } from './$types';

export const load: PageServerLoad = async ({ depends, locals }) => {
	demand(locals, 'see renderings');
	depends('limen:live');
	const customers = customersWhere(locals, 'see renderings', locals.customerId);
	const [all, rules, key] = await Promise.all([
		secrets(customers, timeNow()),
		rulesOf(customers),
		locals.person?.administrator ? callHomeKeyStanding() : null
	]);
	return { secrets: all.slice(0, MOST_SECRETS), isCut: all.length > MOST_SECRETS, rules, key };
};

const chosen = v.object({ secret: manyIds('Choose secrets.', MOST_RENEWED) });

/** Which key somebody has looked at. */
const ofKey = v.object({
	key: v.pipe(v.string('Load the page again.'), v.regex(/^SHA256:\S{1,80}$/, 'Load the page again.'))
});

export const actions: Actions = {
	renew: formAction(chosen, {
		act: ({ secret }, actor) => draftRenewal({ secrets: secret }, actor),
		goes: ({ id }) => `/arrivals/rollouts/${id}`
	}),
	due: formAction(v.object({}), {
		act: async (_, actor, { locals }) => {
			const all = await secrets(customersWhere(locals, 'send', locals.customerId), timeNow());
			const due = all.filter(
				({ standing, isGiven, isUnderWay }) => standing === 'due' && !isGiven && !isUnderWay
			);
			return draftRenewal({ secrets: due.slice(0, MOST_RENEWED).map(({ id }) => id) }, actor);
		},
		goes: ({ id }) => `/arrivals/rollouts/${id}`
	}),
	newKey: formAction(ofKey, {
		act: ({ key }, actor) => renewCallHomeKey(key, actor),
		said: 'Limen has a new key. Bring the units to it; until then they are logged in to with the one before.'
	}),
	bringToKey: formAction(ofKey, {
		act: (_, actor, { locals }) =>
			draftRenewal({ key: true, customers: customersWhere(locals, 'send', locals.customerId) }, actor),
		goes: ({ id }) => `/arrivals/rollouts/${id}`
	}),
	rule: formAction(ruleSchema, { act: saveRule, said: 'It counts from now on.' }),
	dropRule: formAction(droppedRuleSchema, { act: dropRule, said: 'It no longer counts.' })
};
