import { timeNow } from '$lib/server/database';
import { error } from '@sveltejs/kit';
import * as v from 'valibot';
import { QUESTION_IDS } from '$core/watch';
import { formAction } from '$lib/server/forms';
import { answerFromSite, expectedProgressAt } from '$lib/server/watch';
import type { Actions, PageServerLoad } from './$types';

/** A site's progress in plain words, for whoever holds its card. The address is all that it asks for. */
export const load: PageServerLoad = async ({ params, setHeaders }) => {
	setHeaders({ 'cache-control': 'private, no-store', 'referrer-policy': 'no-referrer' });
	const progress = await expectedProgressAt(params.token, timeNow());
	if (!progress)
		error(404, 'This address is not good any more. Ask whoever gave you the card for a new one.');
	return { progress, token: params.token };
};

const answerSchema = v.object({
	box: v.pipe(v.string('Which box?'), v.maxLength(200)),
	question: v.picklist(QUESTION_IDS, 'Which question?'),
	answer: v.pipe(v.string('Choose one of the answers.'), v.maxLength(40))
});

export const actions: Actions = {
	answer: formAction(answerSchema, {
		act: ({ box, ...given }, { address }, event) => answerFromSite(event.params.token!, box, given, address),
		said: 'Thank you.'
	})
};
