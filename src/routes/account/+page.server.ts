import { fail, type RequestEvent } from '@sveltejs/kit';
import * as v from 'valibot';
import {
	accountOf,
	actorOf,
	beginTotp,
	changePassword,
	confirmTotp,
	endSession,
	fromOf,
	sessionsOf,
	turnOffTotp
} from '$lib/server/people';
import { askAgain } from '$lib/server/people/requests';
import { calendarSince, newCalendar } from '$lib/server/plan/calendar';
import { currentSettings, publicUrl } from '$lib/server/settings';
import { renderSVG } from 'uqr';
import type { Actions, PageServerLoad } from './$types';

const SELF_ONLY = (words: string) => ({ words, sites: [] });

export const load: PageServerLoad = async ({ locals }) => {
	const person = locals.person!;
	const [account, sessions, calendar] = await Promise.all([
		accountOf(person.id),
		sessionsOf(person.id, person.sessionId),
		calendarSince(person.id)
	]);
	return {
		email: person.email,
		account: { ...account, picture: account.uri && renderSVG(account.uri, { border: 2 }) },
		sessions,
		calendar
	};
};

/** An action on one's own account that asks again who one is. */
const careful =
	(words: string, act: (event: RequestEvent, fields: Record<string, unknown>) => Promise<object>) =>
	async (event: RequestEvent) => {
		const fields = Object.fromEntries(await event.request.formData());
		return (await askAgain(event, fields, SELF_ONLY(words))) ?? act(event, fields);
	};
const text = (value: unknown) => (typeof value === 'string' ? value.slice(0, 1000) : '');

export const actions: Actions = {
	end: async (event) => {
		const id = v.safeParse(v.pipe(v.string(), v.uuid()), (await event.request.formData()).get('session'));
		if (!id.success) return fail(400, { problem: 'No session was named.' });
		const act = await endSession(id.output, actorOf(event));
		return act.ok ? { said: 'That session has ended.' } : fail(409, { problem: act.problem });
	},
	password: careful('Your password will be changed, and your other sessions end.', async (event, fields) => {
		const act = await changePassword(event.locals.person!, text(fields.password), fromOf(event));
		return act.ok ? { said: 'Your password is changed.' } : fail(400, { problem: act.problem });
	}),
	begin: careful('One-time codes will be set up for your account.', async (event) => {
		const act = await beginTotp(event.locals.person!);
		return act.ok ? {} : fail(409, { problem: act.problem });
	}),
	first: careful('One-time codes will be asked for when you sign in.', async (event, fields) => {
		const act = await confirmTotp(event.locals.person!, text(fields.code), fromOf(event));
		return act.ok ? { codes: act.done.codes } : fail(400, { problem: act.problem });
	}),
	calendar: careful('Your calendar gets a new address; the one before stops working.', async (event) => {
		const { person } = event.locals;
		const token = await newCalendar({ ...actorOf(event), personId: person!.id });
		return { calendarAddress: `${publicUrl(currentSettings())}/calendar/${token}.ics` };
	}),
	off: careful('One-time codes will not be asked for any more.', async (event) => {
		const act = await turnOffTotp(event.locals.person!, fromOf(event));
		return act.ok ? { said: 'One-time codes are off.' } : fail(409, { problem: act.problem });
	})
};
