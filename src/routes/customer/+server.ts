import { redirect } from '@sveltejs/kit';
import * as v from 'valibot';
import { ownPath } from '$lib/server/own-path';
import type { RequestHandler } from './$types';

const formSchema = v.object({
	customer: v.union([v.literal(''), v.pipe(v.string(), v.uuid())]),
	back: v.optional(v.string())
});

/** Chooses whose things are shown. */
export const POST: RequestHandler = async ({ request, cookies }) => {
	const parsed = v.safeParse(formSchema, Object.fromEntries(await request.formData()));
	if (parsed.success)
		cookies.set('customer', parsed.output.customer.toLowerCase(), {
			path: '/',
			sameSite: 'lax',
			secure: false,
			maxAge: 60 * 60 * 24 * 365
		});
	redirect(303, ownPath(parsed.success ? parsed.output.back : null));
};
