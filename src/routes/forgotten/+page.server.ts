import { fail } from '@sveltejs/kit';
import * as v from 'valibot';
import { askForReset, fromOf } from '$lib/server/people';
import type { Actions } from './$types';

const emailSchema = v.pipe(
	v.string(),
	v.trim(),
	v.email('Write the whole e-mail address.'),
	v.maxLength(254)
);

export const actions: Actions = {
	default: async (event) => {
		const parsed = v.safeParse(emailSchema, (await event.request.formData()).get('email'));
		if (!parsed.success) return fail(400, { problem: parsed.issues[0].message });
		const act = await askForReset(parsed.output, fromOf(event));
		return act.ok
			? { said: 'If somebody here has this address, a letter with a link is on its way.' }
			: fail(429, { problem: act.problem });
	}
};
