import { formAction } from '$lib/server/forms';
import { demand } from '$lib/server/people';
import { keySchema, ownerKeys, renewOwnerKey } from '$lib/server/signing';
import type { Actions, PageServerLoad } from './$types';

export const load: PageServerLoad = async ({ locals }) => {
	demand(locals, 'manage people');
	return { keys: await ownerKeys() };
};

export const actions: Actions = {
	renew: formAction(keySchema, {
		of: 'manage people',
		act: renewOwnerKey,
		said: 'From now on this key signs. Give its certificate to your customers; what was signed before stays good.'
	})
};
