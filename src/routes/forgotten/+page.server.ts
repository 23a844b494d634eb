import * as v from 'valibot';
import { formAction } from '$lib/server/forms';
import { askForReset, fromOf } from '$lib/server/people';
import type { Actions } from './$types';

const WHOLE = 'Write the whole e-mail address.';
const schema = v.object({
	email: v.pipe(v.string(WHOLE), v.trim(), v.email(WHOLE), v.maxLength(254, WHOLE))
});

export const actions: Actions = {
	default: formAction(schema, {
		act: ({ email }, _, event) => askForReset(email, fromOf(event)),
		said: 'If somebody here has this address, a letter with a link is on its way.'
	})
};
