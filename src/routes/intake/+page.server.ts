import { fail } from '@sveltejs/kit';
import * as v from 'valibot';
import { LARGEST_TEXT, type Verdict } from '$core/intake';
import { claimBatch, recentBatches, unboundUnits } from '$lib/server/intake';
import { readList } from '$lib/server/list-file';
import { bindOnTheWay } from '$lib/server/onboarding';
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

const NO_LIST = { ok: true as const, text: '', remark: null };

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
		const read = file && file.size > 0 ? await readList(new Uint8Array(await file.arrayBuffer())) : NO_LIST;
		if (!read.ok) return fail(400, { problem: `“${file!.name}”: ${read.problem}`, text: null });
		const given = [text, read.text].filter((one) => one.trim() !== '').join('\n');
		const actor = actorOf(event);
		const act = await claimBatch(customer, given, actor);
		// A paste by mistake is not sent back: the page still has it
		if (!act.ok) return fail(400, { problem: act.problem, text: null });
		const bound = await bindOnTheWay(customer, act.done.rows, actor);
		const rows = act.done.rows.map((row) => ({ ...row, bound: bound.get(row.line) ?? null }));
		const bad = rows.filter(isBad);
		const good = rows.filter((row) => !isBad(row)).map((row) => ({ ...row, raw: '' }));
		return {
			outcome: {
				...act.done,
				rows: [...bad, ...good],
				total: rows.length,
				bound: [...bound.values()].filter(({ ok }) => ok).length,
				unbound: [...bound.values()].filter(({ ok }) => !ok).length,
				remark: read.remark
			},
			text: [bad.length > 0 ? act.done.heading : null, ...bad.map(({ raw }) => raw)]
				.filter((line) => line !== null)
				.join('\n')
		};
	}
};
