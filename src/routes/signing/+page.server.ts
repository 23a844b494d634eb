import { formAction } from '$lib/server/forms';
import { demand } from '$lib/server/people';
import { customers } from '$lib/server/plan';
import { giveUpOwnKey, keySchema, ownerKeys, ownKeySchema, renewOwnerKey } from '$lib/server/signing';
import type { Actions, PageServerLoad } from './$types';

export const load: PageServerLoad = async ({ locals }) => {
	demand(locals, 'manage people');
	const [keys, all] = await Promise.all([ownerKeys(), customers()]);
	return { keys, customers: all };
};

export const actions: Actions = {
	renew: formAction(keySchema, {
		of: 'manage people',
		act: renewOwnerKey,
		said: 'From now on this key signs. Give its certificate to your customers; what was signed before stays good.'
	}),
	giveUp: formAction(ownKeySchema, {
		of: 'manage people',
		act: giveUpOwnKey,
		said: 'From now on the firm’s key signs for this customer. What was signed before stays good.'
	})
};
