import { formAction } from '$lib/server/forms';
import { demand } from '$lib/server/people';
import { customers } from '$lib/server/plan';
import { saveWebhook, webhookFormSchema, webhooks } from '$lib/server/webhooks';
import type { Actions, PageServerLoad } from './$types';

/** Where programs are told what happens: for administrators. */
export const load: PageServerLoad = async ({ locals, depends }) => {
	demand(locals, 'manage people');
	depends('limen:live');
	const [all, of] = await Promise.all([webhooks(), customers()]);
	return { webhooks: all, customers: of };
};

export const actions: Actions = {
	save: formAction(webhookFormSchema, {
		of: 'manage people',
		act: saveWebhook,
		said: ({ secret }) => ({ said: 'It is made. Its secret is shown this once.', secret })
	})
};
