import { redirect } from '@sveltejs/kit';
import * as v from 'valibot';
import { formAction, oneId } from '$lib/server/forms';
import { ownPath } from '$lib/server/own-path';
import {
	DEVICE_COOKIE,
	FIRM_REFUSALS,
	firmProvider,
	fromOf,
	quickPeople,
	quickSignIn,
	remember,
	signIn,
	type FirmRefusal
} from '$lib/server/people';
import type { Actions, PageServerLoad } from './$types';

const line = (most: number) =>
	v.optional(v.pipe(v.string(), v.maxLength(most, 'This is too long to be right.')), '');
const formSchema = v.object({ email: line(254), password: line(1000), code: line(40) });

const wayBack = (url: URL): string =>
	url.searchParams.has('back') ? ownPath(url.searchParams.get('back')) : '/start';

export const load: PageServerLoad = async ({ locals, url }) => {
	if (locals.person) redirect(303, wayBack(url));
	const why = url.searchParams.get('firm') ?? '';
	return {
		quick: await quickPeople(),
		firm: firmProvider(),
		/** Whoever has just signed out here may still be signed in there. The provider is not asked: it can be slow. */
		hasSignedOut: url.searchParams.has('out'),
		refused: Object.hasOwn(FIRM_REFUSALS, why) ? FIRM_REFUSALS[why as FirmRefusal] : null
	};
};

export const actions: Actions = {
	password: formAction(formSchema, {
		act: async (given, _, event) => {
			const deviceMark = event.cookies.get(DEVICE_COOKIE) ?? null;
			const act = await signIn({ ...given, deviceMark }, fromOf(event));
			if (act.ok) remember(event, act.done.token, act.done.deviceMark);
			return act;
		},
		refused: (refusal, { email }) => ({ email, needsCode: 'needsCode' in refusal }),
		goes: (_done, _given, event) => wayBack(event.url)
	}),
	quick: formAction(v.object({ person: oneId('Choose somebody from the list.') }), {
		act: async ({ person }, _, event) => {
			const act = await quickSignIn(person, fromOf(event));
			if (act.ok) remember(event, act.done.token);
			return act;
		},
		goes: (_done, _given, event) => wayBack(event.url)
	})
};
