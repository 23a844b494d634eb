import { error } from '@sveltejs/kit';
import { keylessUnits, keyOfSchema, letInByKey, strangeKey } from '$lib/server/door';
import { formAction } from '$lib/server/forms';
import { demand } from '$lib/server/people';
import type { Actions, PageServerLoad } from './$types';

const NUMBER = /^\d{1,18}$/;

export const load: PageServerLoad = async ({ params, locals, depends }) => {
	depends('limen:live');
	demand(locals, 'bind');
	const key = NUMBER.test(params.caller) ? await strangeKey(params.caller) : undefined;
	if (!key) error(404, 'This caller is not at the door any more.');
	return { key, units: await keylessUnits() };
};

export const actions: Actions = {
	default: formAction(keyOfSchema, {
		of: 'bind',
		act: (given, actor, { params }) =>
			letInByKey(NUMBER.test(params.caller!) ? params.caller! : '0', given, actor),
		goes: (_done, { unit }) => `/units/${unit}`
	})
};
