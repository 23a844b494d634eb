import type { ActionResult, SubmitFunction } from '@sveltejs/kit';
import { applyAction, deserialize, enhance } from '$app/forms';
import { navigating } from '$app/state';
import { goFirst, loadAnew } from '$ui/live';
import { session } from './session.svelte';

const NO_CONNECTION = 'Limen cannot be reached just now. What you typed is still here; try again.';
const SIGNED_OUT = 'You were signed out. Sign in again, and this goes on.';

/**
 * What a page is told of an answer. A lost connection, a fault of the server and a session that has ended
 * become a problem of the form: the page stays as it is, with everything that was typed.
 */
export function keepingThePage(result: ActionResult, again: () => void): ActionResult {
	if (result.type === 'redirect' && new URL(result.location, location.href).pathname === '/sign-in') {
		session.end(again);
		return problem(401, SIGNED_OUT);
	}
	if (result.type !== 'error') return result;
	// A server that answers says what is wrong in an object of its own; an Error is the browser's: nothing was answered
	const { error, status } = result as { error?: { message?: string }; status?: number };
	if (error instanceof Error || !status) return problem(503, NO_CONNECTION);
	return problem(status, error?.message ?? NO_CONNECTION);
}
const problem = (status: number, words: string): ActionResult => ({
	type: 'failure',
	status,
	data: { problem: words, problems: {}, wantsReason: false }
});

interface Update {
	/** Empties the form after success. */
	readonly reset?: boolean;
	/** Whether everything on the page is loaded anew after success. */
	readonly invalidateAll?: boolean;
}
/** Shows a page what came of an act. */
export async function showAnswer(
	result: ActionResult,
	form: HTMLFormElement,
	{ reset = true, invalidateAll: everything = true }: Update = {}
) {
	if (result.type === 'success') {
		if (reset) HTMLFormElement.prototype.reset.call(form);
		if (everything) await loadAnew();
	}
	const { origin, pathname } = new URL(form.action);
	const isHere = () => origin === location.origin && pathname === location.pathname;
	if (!isHere() && result.type !== 'redirect') return;
	// A way that was taken before and comes to its end later takes the answer away: then it is shown once more
	const before = navigating.complete;
	await applyAction(result);
	if (result.type !== 'redirect')
		void before?.then(
			async () => {
				if (isHere()) await applyAction(result);
			},
			() => undefined
		);
}

/**
 * `use:act`: sends a form without leaving the page. A second click while the first is under way does nothing.
 * A page that wants to know what came of it gives a function, as for SvelteKit's `enhance`.
 */
export function act(form: HTMLFormElement, submit: SubmitFunction = () => undefined) {
	let busy = false;
	return enhance(form, async (input) => {
		if (busy) return input.cancel();
		let cancelled = false;
		const answer = await submit({
			...input,
			cancel: () => {
				cancelled = true;
				input.cancel();
			}
		});
		if (cancelled) return;
		goFirst();
		busy = true;
		form.ariaBusy = 'true';
		return async (outcome) => {
			busy = false;
			form.ariaBusy = null;
			const result = keepingThePage(outcome.result, () => form.requestSubmit(input.submitter));
			const update = (options?: Update) => showAnswer(result, form, options);
			if (answer) await answer({ ...outcome, result, update });
			else await update();
		};
	});
}

/** Asks one of a page's actions something beside its forms; null when no answer came. */
export const askAction = (action: string, body: FormData): Promise<ActionResult | null> =>
	fetch(action, {
		method: 'POST',
		headers: { 'x-sveltekit-action': 'true', accept: 'application/json' },
		body
	})
		.then(async (response) => deserialize(await response.text()))
		.catch(() => null);
