import { fail } from '@sveltejs/kit';
import * as v from 'valibot';
import { LARGEST_TEXT, type Verdict } from '$core/intake';
import { claimBatch, recentBatches, unboundUnits } from '$lib/server/intake';
import { actorOf } from '$lib/server/people';
import { demand } from '$lib/server/people/requests';
import type { Actions, PageServerLoad } from './$types';

const formSchema = v.object({
	customer: v.pipe(
		v.string('Choose the customer whose units these are.'),
		v.uuid('Choose the customer whose units these are.')
	),
	text: v.optional(v.string(), ''),
	file: v.optional(v.instance(File))
});

/** What comes back to be mended. */
const isBad = ({ verdict }: { verdict: Verdict }) => verdict === 'malformed' || verdict === 'refused';

export const load: PageServerLoad = async ({ locals, url, depends }) => {
	demand(locals, 'claim');
	depends('limen:live');
	return {
		batches: await recentBatches(locals.customerId, 6),
		unbound: await unboundUnits(locals.customerId, 100),
		start: (url.searchParams.get('serial') ?? '').slice(0, 64)
	};
};

export const actions: Actions = {
	claim: async (event) => {
		const parsed = v.safeParse(formSchema, Object.fromEntries(await event.request.formData()));
		if (!parsed.success) return fail(400, { problem: parsed.issues[0].message, text: null });
		const { customer, text, file } = parsed.output;
		if (file && file.size > LARGEST_TEXT * 2)
			return fail(400, {
				problem: `“${file.name}” is larger than a list of units can be. Nothing was taken in.`,
				text: null
			});
		const given = [text, file && file.size > 0 ? await file.text() : '']
			.filter((one) => one.trim() !== '')
			.join('\n');
		const act = await claimBatch(customer, given, actorOf(event));
		// A paste by mistake is not sent back: the page still has it
		if (!act.ok) return fail(400, { problem: act.problem, text: null });
		const bad = act.done.rows.filter(isBad);
		const good = act.done.rows.filter((row) => !isBad(row)).map((row) => ({ ...row, raw: '' }));
		return {
			outcome: { ...act.done, rows: [...bad, ...good], total: act.done.rows.length },
			text: bad.map(({ raw }) => raw).join('\n')
		};
	}
};
