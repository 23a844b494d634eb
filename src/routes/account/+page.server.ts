import type { RequestEvent } from '@sveltejs/kit';
import * as v from 'valibot';
import { done } from '$lib/server/act';
import { formAction, oneId } from '$lib/server/forms';
import {
	accountOf,
	beginTotp,
	changePassword,
	createPersonalToken,
	endPersonalToken,
	personalTokens,
	personalTokenSchema,
	confirmTotp,
	endSession,
	fromOf,
	sessionsOf,
	turnOffTotp
} from '$lib/server/people';
import { calendarSince, newCalendar } from '$lib/server/plan';
import { currentSettings, publicUrl } from '$lib/server/settings';
import { renderSVG } from 'uqr';
import { chooseLetters, letterWishesOf, letterWishesSchema } from '$lib/server/watch';
import type { Actions, PageServerLoad } from './$types';

export const load: PageServerLoad = async ({ locals }) => {
	const person = locals.person!;
	const [account, sessions, calendar, letters, tokens] = await Promise.all([
		accountOf(person.id),
		sessionsOf(person.id, person.sessionId),
		calendarSince(person.id),
		letterWishesOf(person.id),
		personalTokens(person.id)
	]);
	return {
		email: person.email,
		account: { ...account, picture: account.uri && renderSVG(account.uri, { border: 2 }) },
		sessions,
		calendar,
		letters,
		tokens
	};
};

/** An action on one's own account that asks again who one is. */
const careful = (words: string) => () => ({ words, sites: [] });
const own = ({ locals }: RequestEvent) => locals.person!;
const text = v.optional(v.pipe(v.string(), v.maxLength(1000, 'That is too long.')), '');

export const actions: Actions = {
	end: formAction(v.object({ session: oneId('No session was named.') }), {
		act: ({ session }, actor) => endSession(session, actor),
		said: 'That session has ended.'
	}),
	password: formAction(v.object({ password: text }), {
		ask: careful('Your password will be changed, and your other sessions end.'),
		act: ({ password }, _, event) => changePassword(own(event), password, fromOf(event)),
		said: 'Your password is changed.'
	}),
	begin: formAction(v.object({}), {
		ask: careful('One-time codes will be set up for your account.'),
		act: (_given, _actor, event) => beginTotp(own(event)),
		said: () => ({})
	}),
	first: formAction(v.object({ code: text }), {
		ask: careful('One-time codes will be asked for when you sign in.'),
		act: ({ code }, _, event) => confirmTotp(own(event), code, fromOf(event)),
		said: ({ codes }) => ({ codes })
	}),
	letters: formAction(letterWishesSchema, {
		act: (given, actor, event) => chooseLetters(given, { ...actor, personId: own(event).id }),
		said: 'Your letters are as you chose.'
	}),
	calendar: formAction(v.object({}), {
		ask: careful('Your calendar gets a new address; the one before stops working.'),
		act: async (_, actor, event) => done(await newCalendar({ ...actor, personId: own(event).id })),
		said: (token) => ({ calendarAddress: `${publicUrl(currentSettings())}/calendar/${token}.ics` })
	}),
	token: formAction(personalTokenSchema, {
		ask: ({ name, interrupts }) => ({
			words: `A program, “${name}”, will be able to do what you may${interrupts ? ', also what interrupts networks' : ''}.`,
			sites: []
		}),
		act: (given, actor, event) => createPersonalToken(given, { ...actor, personId: own(event).id }),
		said: ({ token }) => ({ personalToken: token })
	}),
	endToken: formAction(v.object({ token: oneId('No token was named.') }), {
		act: ({ token }, actor, event) => endPersonalToken(token, { ...actor, personId: own(event).id }),
		said: 'That token has ended.'
	}),
	off: formAction(v.object({}), {
		ask: careful('One-time codes will not be asked for any more.'),
		act: (_given, _actor, event) => turnOffTotp(own(event), fromOf(event)),
		said: 'One-time codes are off.'
	})
};
