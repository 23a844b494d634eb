import * as v from 'valibot';
import { refuse } from '$lib/server/act';
import { formAction } from '$lib/server/forms';
import { fromOf, readTicket, useTicket, remember } from '$lib/server/people';
import type { Actions, PageServerLoad } from './$types';

const formSchema = v.object({
	password: v.string('Choose a password.'),
	code: v.optional(v.pipe(v.string(), v.maxLength(40, 'A code is shorter than that.'))),
	name: v.optional(v.pipe(v.string(), v.trim(), v.maxLength(120, 'A name has at most 120 characters.'))),
	email: v.optional(
		v.pipe(
			v.string(),
			v.trim(),
			v.email('Write the whole e-mail address.'),
			v.maxLength(254, 'That is too long for an e-mail address.')
		)
	)
});

export const load: PageServerLoad = async ({ params, setHeaders }) => {
	// The address opens a door: it goes nowhere else
	setHeaders({ 'referrer-policy': 'no-referrer', 'cache-control': 'no-store' });
	return { ticket: await readTicket(params.token) };
};

export const actions: Actions = {
	default: formAction(formSchema, {
		act: async ({ password, name = '', email = '', code = '' }, _, event) => {
			const token = event.params.token!;
			const ticket = await readTicket(token);
			if (ticket?.kind === 'first-administrator' && (name === '' || email === ''))
				return refuse('Say your name and your e-mail address.');
			const act = await useTicket(token, { password, name, email, code }, fromOf(event));
			if (act.ok) remember(event, act.done.token);
			return act;
		},
		goes: () => '/'
	})
};
