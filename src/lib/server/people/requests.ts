import { timeNow } from '../database';
import { error, fail, type ActionFailure, type RequestEvent } from '@sveltejs/kit';
import type { PersonAct } from '../../../core/people';
import { isDemo } from './demo';
import { firmProvider } from './firm';
import { confirmItIsYou, waysToConfirm } from './coming-in/sign-in';
import { maySee, type SignedIn } from './actor';
import { DEVICE_COOKIE, SESSION_COOKIE } from './coming-in/admission';
import { fromOf } from './coming-in/sessions';

/**
 * “Confirm it is you”: before an act that interrupts or exposes somebody's network. The form comes back
 * with a question; what was asked for rides along and is done once the password is right. That is good for
 * a few minutes on that session; a reason, where one is wanted, is asked for each time.
 */
const GOOD_FOR_MS = 5 * 60_000;

/** What will happen, to be said before it does. */
export interface Consequence {
	/** One sentence: what the act does. */
	readonly words: string;
	/** The sites it interrupts, by name. */
	readonly sites: readonly string[];
	/** Whether the records need a reason, in the person's words. */
	readonly wantsReason?: boolean;
	/** Who has to have been asked before, by name; the form's `asked` says that it was done. */
	readonly whom?: string | null;
}
const LONGEST_REASON = 500;
const DEMO_HINT =
	'In this demo everybody has the same password. It stands where the demo was started, below the addresses.';

export interface Confirmation extends Consequence {
	/** Where the form goes again, and what it holds. */
	readonly action: string;
	readonly fields: Readonly<Record<string, string | readonly string[]>>;
	/** Whether who it is has to be shown; a reason may be all that is missing. */
	readonly wantsPassword: boolean;
	/** The firm, where they can show it at its own sign-in; and whether that is their only way. */
	readonly firm: string | null;
	readonly firmAlone: boolean;
	readonly problem: string | null;
	/** Where the password is found, in the demo. */
	readonly hint: string | null;
}

/** The reason given with a form. */
export const reasonIn = (form: Readonly<Record<string, unknown>>): string | null =>
	typeof form.reason === 'string' && form.reason.trim() !== ''
		? form.reason.trim().slice(0, LONGEST_REASON)
		: null;

/** What a form can carry in hidden fields: one text, or a list of them under one name. */
const isText = (value: unknown): boolean =>
	Array.isArray(value) ? value.every((one) => typeof one === 'string') : typeof value === 'string';

/** Null when the person may go on; else the question to send back. */
export async function askAgain(
	event: RequestEvent,
	form: Readonly<Record<string, unknown>>,
	consequence: Consequence
): Promise<ActionFailure<{ confirm: Confirmation }> | null> {
	const { person } = event.locals;
	if (!person) return null;
	let wantsPassword = timeNow() - person.confirmedAt >= GOOD_FOR_MS;
	const wantsReason = consequence.wantsReason === true && reasonIn(form) === null;
	const wantsAsking = Boolean(consequence.whom) && form.asked !== 'on';
	let problem: string | null = null;
	const password = form.confirm_password;
	if (wantsPassword && typeof password === 'string' && password !== '') {
		const code = typeof form.confirm_code === 'string' ? form.confirm_code : '';
		const act = await confirmItIsYou(person.sessionId, { password, code }, fromOf(event));
		if (act.ok) wantsPassword = false;
		else problem = act.problem;
	}
	if (!wantsPassword && !wantsReason && !wantsAsking) return null;
	if (wantsReason && form.reason !== undefined) problem ??= 'Say why; a few words are enough.';
	const fields = Object.fromEntries(
		Object.entries(form).filter(
			(field): field is [string, string | string[]] => isText(field[1]) && !field[0].startsWith('confirm_')
		)
	);
	const { hasPassword, isOfFirm } = wantsPassword
		? await waysToConfirm(person.id)
		: { hasPassword: true, isOfFirm: false };
	return fail(403, {
		confirm: {
			...consequence,
			action: event.url.search || '?',
			fields,
			wantsPassword,
			firm: isOfFirm ? (firmProvider()?.name ?? null) : null,
			firmAlone: isOfFirm && !hasPassword,
			problem,
			hint: wantsPassword && (await isDemo()) ? DEMO_HINT : null
		}
	});
}

/** Stops a request of somebody who may not do an act: for pages that are about it. */
export function demand(
	locals: { readonly person: SignedIn | null },
	act: PersonAct,
	customerId: string | null = null
): void {
	if (!maySee(locals, act, customerId))
		error(403, 'This is not for your duty. Ask an administrator if it should be.');
}

const YEAR_SECONDS = 365 * 24 * 3600;

/** Lets a browser be who has signed in, and known again as one from which they did. */
export function remember({ cookies, url }: RequestEvent, token: string, deviceMark?: string): void {
	const common = { path: '/', httpOnly: true, sameSite: 'lax', secure: url.protocol === 'https:' } as const;
	cookies.set(SESSION_COOKIE, token, common);
	if (deviceMark) cookies.set(DEVICE_COOKIE, deviceMark, { ...common, maxAge: YEAR_SECONDS });
}
