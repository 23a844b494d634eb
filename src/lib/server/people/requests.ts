import { error, fail, type ActionFailure, type RequestEvent } from '@sveltejs/kit';
import type { PersonAct } from '../../../core/people';
import { confirmItIsYou } from './sign-in';
import { maySee, type SignedIn } from './actor';
import { fromOf } from './sessions';

/**
 * “Confirm it is you”: before an act that interrupts or exposes somebody's network. The form comes back
 * with a question; what was asked for rides along and is done once the password is right. Good for a few
 * minutes on that session.
 */
const GOOD_FOR_MS = 5 * 60_000;

/** What will happen, to be said before it does. */
export interface Consequence {
	/** One sentence: what the act does. */
	readonly words: string;
	/** The sites it interrupts, by name. */
	readonly sites: readonly string[];
}

export interface Confirmation extends Consequence {
	/** Where the form goes again, and what it holds. */
	readonly action: string;
	readonly fields: Readonly<Record<string, string>>;
	readonly problem: string | null;
}

/** Null when the person may go on; else the question to send back. */
export async function askAgain(
	event: RequestEvent,
	form: Readonly<Record<string, unknown>>,
	consequence: Consequence
): Promise<ActionFailure<{ confirm: Confirmation }> | null> {
	const { person } = event.locals;
	if (!person || Date.now() - person.confirmedAt < GOOD_FOR_MS) return null;
	const password = form.confirm_password;
	let problem: string | null = null;
	if (typeof password === 'string' && password !== '') {
		const code = typeof form.confirm_code === 'string' ? form.confirm_code : '';
		const act = await confirmItIsYou(person.sessionId, { password, code }, fromOf(event));
		if (act.ok) return null;
		problem = act.problem;
	}
	const fields = Object.fromEntries(
		Object.entries(form).flatMap(([name, value]) =>
			typeof value === 'string' && !name.startsWith('confirm_') ? [[name, value]] : []
		)
	);
	return fail(403, { confirm: { ...consequence, action: event.url.search || '?', fields, problem } });
}

/** Stops a request of somebody who may not do an act: for pages that are about it. */
export function demand(
	locals: { readonly person: SignedIn | null },
	act: PersonAct,
	customerId: string | null = null
): void {
	if (!maySee(locals, act, customerId))
		error(403, 'This is not for your role. Ask an administrator if it should be.');
}
