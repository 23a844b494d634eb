import { error, fail } from '@sveltejs/kit';
import * as v from 'valibot';
import { askAgainFor, batchById, batchHead, claimBatch, dropRefused, dropRow } from '$lib/server/intake';
import { bindOnTheWay } from '$lib/server/onboarding';
import { actorOf, maySee } from '$lib/server/people';
import { demand } from '$lib/server/people/requests';
import type { Actions, PageServerLoad } from './$types';

const MOST_SHOWN = 500;

/** One batch: what came of each row as it is worked, and the rows that wait to be mended. */
export const load: PageServerLoad = async ({ params, locals, depends }) => {
	depends('limen:live');
	const head = await batchHead(params.id);
	if (!head) error(404, 'There is no such batch.');
	demand(locals, 'see', head.customerId);
	const mayMend = maySee(locals, 'claim', head.customerId);
	return { batch: (await batchById(params.id, mayMend, MOST_SHOWN))!, mayMend };
};

const id = v.pipe(v.string(), v.uuid());
const ordinal = v.pipe(v.string(), v.regex(/^\d{1,6}$/), v.transform(Number));
const mendSchema = v.object({
	row: ordinal,
	text: v.pipe(v.string(), v.maxLength(4000, 'That is too long for one unit.'))
});
const againSchema = v.object({ unit: id, code: v.pipe(v.string(), v.maxLength(100)) });

export const actions: Actions = {
	mend: async (event) => {
		const parsed = v.safeParse(mendSchema, Object.fromEntries(await event.request.formData()));
		if (!parsed.success) return fail(400, { problem: parsed.issues[0].message });
		const batch = await batchHead(event.params.id);
		if (!batch) return fail(404, { problem: 'There is no such batch.' });
		const { row, text } = parsed.output;
		const actor = actorOf(event);
		const given = batch.heading ? `${batch.heading}\n${text}` : text;
		const act = await claimBatch(batch.customerId, given, actor, {
			mending: { batchId: event.params.id, ordinal: row }
		});
		if (!act.ok) return fail(409, { problem: act.problem });
		await bindOnTheWay(batch.customerId, act.done.rows, actor);
		const [first] = act.done.rows;
		return first?.unitId || first?.verdict === 'already-ours'
			? { said: `${first.serial} is taken in.` }
			: { problem: first?.reason ?? 'It is still not readable.' };
	},
	drop: async (event) => {
		const form = Object.fromEntries(await event.request.formData());
		const unit = v.safeParse(id, form.unit);
		if (unit.success) {
			const act = await dropRefused(unit.output, actorOf(event));
			return act.ok ? { said: 'Dropped.' } : fail(409, { problem: act.problem });
		}
		const row = v.safeParse(ordinal, form.row);
		const batch = await batchHead(event.params.id);
		if (!row.success || !batch) return fail(400, { problem: 'Which row?' });
		const act = await dropRow(batch.customerId, event.params.id, row.output, actorOf(event));
		return act.ok ? { said: 'Dropped.' } : fail(409, { problem: act.problem });
	},
	again: async (event) => {
		const parsed = v.safeParse(againSchema, Object.fromEntries(await event.request.formData()));
		if (!parsed.success) return fail(400, { problem: 'Which unit?' });
		const act = await askAgainFor(parsed.output.unit, parsed.output.code, actorOf(event));
		return act.ok ? { said: 'The registry is asked again.' } : fail(409, { problem: act.problem });
	}
};
