import { fail, redirect } from '@sveltejs/kit';
import * as v from 'valibot';
import { fromOf, readTicket, SESSION_COOKIE, useTicket } from '$lib/server/people';
import type { Actions, PageServerLoad } from './$types';

const formSchema = v.object({
	password: v.string('Choose a password.'),
	code: v.optional(v.pipe(v.string(), v.maxLength(40))),
	name: v.optional(v.pipe(v.string(), v.trim(), v.maxLength(120))),
	email: v.optional(
		v.pipe(v.string(), v.trim(), v.email('Write the whole e-mail address.'), v.maxLength(254))
	)
});

export const load: PageServerLoad = async ({ params, setHeaders }) => {
	// The address opens a door: it goes nowhere else
	setHeaders({ 'referrer-policy': 'no-referrer', 'cache-control': 'no-store' });
	return { ticket: await readTicket(params.token) };
};

export const actions: Actions = {
	default: async (event) => {
		const parsed = v.safeParse(formSchema, Object.fromEntries(await event.request.formData()));
		if (!parsed.success) return fail(400, { problem: parsed.issues[0].message });
		const ticket = await readTicket(event.params.token);
		const { password, name = '', email = '', code = '' } = parsed.output;
		if (ticket?.kind === 'first-administrator' && (name === '' || email === ''))
			return fail(400, { problem: 'Say your name and your e-mail address.' });
		const act = await useTicket(event.params.token, { password, name, email, code }, fromOf(event));
		if (!act.ok) return fail(400, { problem: act.problem });
		event.cookies.set(SESSION_COOKIE, act.done.token, {
			path: '/',
			httpOnly: true,
			sameSite: 'lax',
			secure: event.url.protocol === 'https:'
		});
		redirect(303, '/');
	}
};
