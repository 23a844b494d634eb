import * as v from 'valibot';
import { formAction, oneId } from '../forms';
import { askAgainFor, dropRefused } from './waiting';

/** Form actions about units that a registry refused, the same on every page that shows them. */
const WHICH = 'Which unit?';

export const againAction = formAction(
	v.object({ unit: oneId(WHICH), code: v.pipe(v.string('Type the claim code.'), v.maxLength(100)) }),
	{
		act: ({ unit, code }, actor) => askAgainFor(unit, code, actor),
		said: 'The registry is asked again.'
	}
);

export const dropAction = formAction(v.object({ unit: oneId(WHICH) }), {
	act: ({ unit }, actor) => dropRefused(unit, actor),
	said: 'Dropped.'
});
