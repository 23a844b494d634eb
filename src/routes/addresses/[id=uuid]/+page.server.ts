import { error } from '@sveltejs/kit';
import * as v from 'valibot';
import { formAction, oneId } from '$lib/server/forms';
import { maySee } from '$lib/server/people';
import { allotMissing, importUsed, poolMap, releaseAllotment } from '$lib/server/plan';
import type { Actions, PageServerLoad } from './$types';

export const load: PageServerLoad = async ({ params, locals, depends }) => {
	depends('limen:live');
	const map = await poolMap(params.id);
	if (!map || !maySee(locals, 'see renderings', map.pool.customerId)) error(404, 'There is no such pool.');
	return map;
};

const MOST_LINES = 5_000;
/** One block or number a line, then what it is for. */
const usedSchema = v.pipe(
	v.string('Paste one block or number a line.'),
	v.maxLength(400_000),
	v.transform((text) =>
		text
			.split('\n')
			.map((line) => line.trim())
			.filter((line) => line !== '')
			.map((line) => {
				const [, value = '', label = ''] = /^(\S+?)[\s,;]*(?:[\s,;](.*))?$/.exec(line) ?? [];
				return { value, label: label.trim().slice(0, 200) || 'in use' };
			})
	),
	v.maxLength(MOST_LINES, `At most ${MOST_LINES} lines at once.`)
);

export const actions: Actions = {
	allot: formAction(v.object({}), {
		act: (_, actor, event) => allotMissing(event.params.id!, actor),
		said: ({ count, left }) => `${count} allotted; room for ${left} more.`
	}),
	used: formAction(v.object({ used: usedSchema }), {
		act: ({ used }, actor, event) => importUsed(event.params.id!, used, actor),
		said: ({ count }) => `${count} noted as in use.`
	}),
	release: formAction(v.object({ allotment: oneId('Nothing was named.') }), {
		act: ({ allotment }, actor) => releaseAllotment(allotment, actor),
		said: 'Released.'
	})
};
