import { error } from '@sveltejs/kit';
import * as v from 'valibot';
import { formAction } from '$lib/server/forms';
import { demand } from '$lib/server/people';
import { customers } from '$lib/server/plan';
import {
	deliveries,
	DELIVERIES_AT_ONCE,
	DELIVERY_STATES,
	deliverySchema,
	endWebhook,
	renewSecret,
	saveWebhook,
	tellAgain,
	tryWebhook,
	webhookById,
	webhookFormSchema,
	webhookSchema
} from '$lib/server/webhooks';
import type { Actions, PageServerLoad } from './$types';

const askedFor = v.object({
	state: v.fallback(v.nullable(v.picklist(DELIVERY_STATES)), null),
	before: v.fallback(v.nullable(v.pipe(v.string(), v.uuid())), null)
});

/** What a webhook was told, and what it is to be told: for administrators. */
export const load: PageServerLoad = async ({ locals, params, url, depends }) => {
	demand(locals, 'manage people');
	depends('limen:live');
	const { state, before } = v.parse(askedFor, {
		state: url.searchParams.get('state'),
		before: url.searchParams.get('before')
	});
	const [webhook, told, of] = await Promise.all([
		webhookById(params.id),
		deliveries(params.id, { state, before }),
		customers()
	]);
	if (!webhook) error(404, 'There is no such webhook any more.');
	return { webhook, told, customers: of, state, hasMore: told.length === DELIVERIES_AT_ONCE };
};

const OF = 'manage people';
export const actions: Actions = {
	save: formAction(webhookFormSchema, { of: OF, act: saveWebhook, said: 'It is changed.' }),
	try: formAction(webhookSchema, { of: OF, act: tryWebhook, said: 'It is told now.' }),
	again: formAction(deliverySchema, { of: OF, act: tellAgain, said: 'It is told again now.' }),
	renew: formAction(webhookSchema, {
		of: OF,
		act: renewSecret,
		said: ({ secret }) => ({
			said: 'What is told is signed with this from now on. It is shown this once.',
			secret
		})
	}),
	end: formAction(webhookSchema, { of: OF, act: endWebhook, goes: () => '/people/webhooks' })
};
