import { fail, redirect, type Cookies } from '@sveltejs/kit';
import * as v from 'valibot';
import { ownPath } from '$lib/server/own-path';
import { DEVICE_COOKIE, fromOf, quickPeople, quickSignIn, SESSION_COOKIE, signIn } from '$lib/server/people';
import type { Actions, PageServerLoad } from './$types';

const line = (most: number) => v.optional(v.pipe(v.string(), v.maxLength(most)), '');
const formSchema = v.object({ email: line(254), password: line(1000), code: line(40) });
const YEAR_SECONDS = 365 * 24 * 3600;

const wayBack = (url: URL): string => ownPath(url.searchParams.get('back'));

export const load: PageServerLoad = async ({ locals, url }) => {
	if (locals.person) redirect(303, wayBack(url));
	return { quick: await quickPeople() };
};

function remember(cookies: Cookies, url: URL, token: string, deviceMark?: string): void {
	const common = { path: '/', httpOnly: true, sameSite: 'lax', secure: url.protocol === 'https:' } as const;
	cookies.set(SESSION_COOKIE, token, common);
	if (deviceMark) cookies.set(DEVICE_COOKIE, deviceMark, { ...common, maxAge: YEAR_SECONDS });
}

export const actions: Actions = {
	password: async (event) => {
		const parsed = v.safeParse(formSchema, Object.fromEntries(await event.request.formData()));
		if (!parsed.success)
			return fail(400, { problem: 'This is too long to be right.', email: '', needsCode: false });
		const deviceMark = event.cookies.get(DEVICE_COOKIE) ?? null;
		const act = await signIn({ ...parsed.output, deviceMark }, fromOf(event));
		if (!act.ok)
			return fail(400, { problem: act.problem, email: parsed.output.email, needsCode: 'needsCode' in act });
		remember(event.cookies, event.url, act.done.token, act.done.deviceMark);
		redirect(303, wayBack(event.url));
	},
	quick: async (event) => {
		const person = (await event.request.formData()).get('person');
		const act = await quickSignIn(typeof person === 'string' ? person : '', fromOf(event));
		if (!act.ok) return fail(403, { problem: act.problem, email: '', needsCode: false });
		remember(event.cookies, event.url, act.done.token);
		redirect(303, wayBack(event.url));
	}
};
