import { searchArchive, saveUpkeepRule, upkeepRuleOf, upkeepRuleSchema } from '$lib/server/archive';
import { formAction } from '$lib/server/forms';
import { customersWhere, demand } from '$lib/server/people';
import { refuse } from '$lib/server/act';
import type { Actions, PageServerLoad } from './$types';

export const load: PageServerLoad = async ({ depends, locals, url }) => {
	demand(locals, 'see renderings');
	depends('limen:live');
	const words = (url.searchParams.get('words') ?? '').slice(0, 500);
	const everything = url.searchParams.has('ever');
	const { customerId } = locals;
	return {
		words,
		everything,
		found:
			words.trim() === ''
				? null
				: await searchArchive(words, {
						customers: customersWhere(locals, 'see renderings', customerId),
						everything
					}),
		rule: customerId ? await upkeepRuleOf(customerId) : null,
		customerId
	};
};

export const actions: Actions = {
	rule: formAction(upkeepRuleSchema, {
		act: async (rule, actor, { locals }) =>
			locals.customerId ? saveUpkeepRule(locals.customerId, rule, actor) : refuse('Choose a customer first.'),
		said: 'Kept. It counts from now on.'
	})
};
