import { formAction } from '$lib/server/forms';
import { demand } from '$lib/server/people';
import { customers } from '$lib/server/plan';
import { currentSettings, publicUrl } from '$lib/server/settings';
import { endScreen, endScreenSchema, makeScreen, screenSchema, wallScreens } from '$lib/server/wall';
import type { Actions, PageServerLoad } from './$types';

export const load: PageServerLoad = async ({ locals }) => {
	demand(locals, 'manage people');
	const [screens, all] = await Promise.all([wallScreens(), customers()]);
	return { screens, customers: all };
};

export const actions: Actions = {
	make: formAction(screenSchema, {
		of: 'manage people',
		act: makeScreen,
		said: ({ token }) => ({
			said: 'Open this address on the screen. It is shown this once.',
			address: `${publicUrl(currentSettings())}/wall/${token}`
		})
	}),
	end: formAction(endScreenSchema, {
		of: 'manage people',
		act: endScreen,
		said: 'It shows nothing any more.'
	})
};
