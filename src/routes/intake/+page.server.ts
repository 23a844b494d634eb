import { fail } from '@sveltejs/kit';
import * as v from 'valibot';
import { isBad, LARGEST_TEXT } from '$core/intake';
import {
	askAgainFor,
	askedUnits,
	claimBatch,
	dropRefused,
	intakeModels,
	MOST_ASKED,
	openBatches,
	recentBatches,
	refusedUnits,
	registryWaits,
	unboundUnits
} from '$lib/server/intake';
import { database } from '$lib/server/database';
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
	file: v.optional(v.instance(File)),
	/** The batch whose rows were handed back and come again. */
	batch: v.optional(v.union([v.literal(''), v.pipe(v.string(), v.uuid())]), '')
});

const againSchema = v.object({
	unit: v.pipe(v.string(), v.uuid()),
	code: v.pipe(v.string(), v.maxLength(100))
});

const NO_LIST = { ok: true as const, text: '', remark: null };

export const load: PageServerLoad = async ({ locals, url, depends }) => {
	demand(locals, 'claim');
	depends('limen:live');
	const { customerId } = locals;
	const [batches, unbound, waits, refused, asked, open, models] = await Promise.all([
		recentBatches(customerId, 6),
		unboundUnits(customerId, 100),
		registryWaits(customerId),
		refusedUnits(customerId),
		askedUnits(customerId),
		openBatches(customerId, 12),
		intakeModels(database())
	]);
	return {
		batches,
		unbound,
		waits,
		refused,
		asked,
		allAsked: asked.length < MOST_ASKED,
		models: models.map(({ id, name, serial }) => ({ id, name, serial })),
		open,
		start: (url.searchParams.get('serial') ?? '').slice(0, 64)
	};
};

export const actions: Actions = {
	claim: async (event) => {
		const parsed = v.safeParse(formSchema, Object.fromEntries(await event.request.formData()));
		if (!parsed.success) return fail(400, { problem: parsed.issues[0].message, text: null });
		const { customer, text, file, batch } = parsed.output;
		if (file && file.size > LARGEST_TEXT * 2)
			return fail(400, {
				problem: `“${file.name}” is larger than a list of units can be. Nothing was taken in.`,
				text: null
			});
		const read = file && file.size > 0 ? await readList(new Uint8Array(await file.arrayBuffer())) : NO_LIST;
		if (!read.ok) return fail(400, { problem: `“${file!.name}”: ${read.problem}`, text: null });
		const given = [text, read.text].filter((one) => one.trim() !== '').join('\n');
		const actor = actorOf(event);
		const mending = batch ? { batchId: batch, ordinal: null } : null;
		const act = await claimBatch(customer, given, actor, mending);
		// A paste by mistake is not sent back: the page still has it
		if (!act.ok) return fail(400, { problem: act.problem, text: null });
		const bound = await bindOnTheWay(customer, act.done.rows, actor);
		const rows = act.done.rows.map((row) => ({ ...row, bound: bound.get(row.line) ?? null }));
		const bad = rows.filter(({ verdict }) => isBad(verdict));
		const good = rows.filter(({ verdict }) => !isBad(verdict)).map((row) => ({ ...row, raw: '' }));
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
	},
	again: async (event) => {
		const parsed = v.safeParse(againSchema, Object.fromEntries(await event.request.formData()));
		if (!parsed.success) return fail(400, { problem: 'Which unit?', text: null });
		const act = await askAgainFor(parsed.output.unit, parsed.output.code, actorOf(event));
		return act.ok
			? { said: 'The registry is asked again.' }
			: fail(409, { problem: act.problem, text: null });
	},
	drop: async (event) => {
		const parsed = v.safeParse(againSchema.entries.unit, (await event.request.formData()).get('unit'));
		if (!parsed.success) return fail(400, { problem: 'Which unit?', text: null });
		const act = await dropRefused(parsed.output, actorOf(event));
		return act.ok ? { said: 'Dropped.' } : fail(409, { problem: act.problem, text: null });
	}
};
