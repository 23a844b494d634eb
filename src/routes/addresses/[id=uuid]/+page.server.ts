import { error, fail } from '@sveltejs/kit';
import * as v from 'valibot';
import { actorOf, maySee } from '$lib/server/people';
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
	allot: async (event) => {
		const act = await allotMissing(event.params.id!, actorOf(event));
		return act.ok
			? { said: `${act.done.count} allotted; room for ${act.done.left} more.` }
			: fail(409, { problem: act.problem });
	},
	used: async (event) => {
		const parsed = v.safeParse(usedSchema, (await event.request.formData()).get('used'));
		if (!parsed.success) return fail(400, { problem: parsed.issues[0].message });
		const act = await importUsed(event.params.id!, parsed.output, actorOf(event));
		return act.ok ? { said: `${act.done.count} noted as in use.` } : fail(409, { problem: act.problem });
	},
	release: async (event) => {
		const id = v.safeParse(v.pipe(v.string(), v.uuid()), (await event.request.formData()).get('allotment'));
		if (!id.success) return fail(400, { problem: 'Nothing was named.' });
		const act = await releaseAllotment(id.output, actorOf(event));
		return act.ok ? { said: 'Released.' } : fail(409, { problem: act.problem });
	}
};
