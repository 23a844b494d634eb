import { fail } from '@sveltejs/kit';
import * as v from 'valibot';
import { isBad, LARGEST_FILE, LARGEST_TEXT, type BatchCounts } from '$core/intake';
import {
	askAgainFor,
	batchProgress,
	chosenColumns,
	claimBatch,
	dropRefused,
	intakeModels,
	knownSuppliers,
	openBatches,
	readColumns,
	recentBatches,
	refusedUnits,
	registryWaits,
	unboundUnits
} from '$lib/server/intake';
import { database } from '$lib/server/database';
import { readList, type TextReading } from '$lib/server/list-file';
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
	batch: v.optional(v.union([v.literal(''), v.pipe(v.string(), v.uuid())]), ''),
	/** What each column is about, when somebody said it: meanings with commas between. */
	columns: v.optional(v.pipe(v.string(), v.maxLength(4000)), ''),
	supplier: v.optional(
		v.pipe(v.string(), v.trim(), v.maxLength(120, 'A supplier’s name has at most 120 characters.')),
		''
	)
});
const columnsSchema = v.object({
	customer: v.optional(v.union([v.literal(''), v.pipe(v.string(), v.uuid())]), ''),
	text: v.optional(v.pipe(v.string(), v.maxLength(LARGEST_TEXT)), ''),
	file: v.optional(v.instance(File)),
	supplier: v.optional(v.pipe(v.string(), v.trim(), v.maxLength(120)), '')
});

/** The text of a list's file; null when none was given. */
async function textOf(file: File | undefined): Promise<TextReading | null> {
	if (!file || file.size === 0) return null;
	if (file.size > LARGEST_FILE)
		return { ok: false, problem: `“${file.name}” is larger than a list of units can be.` };
	const read = await readList(new Uint8Array(await file.arrayBuffer()));
	return read.ok ? read : { ok: false, problem: `“${file.name}”: ${read.problem}` };
}

/** So many rows are shown with what came of them; the batch's page and file have them all. */
const MOST_SHOWN = 50;

const againSchema = v.object({
	unit: v.pipe(v.string(), v.uuid()),
	code: v.pipe(v.string(), v.maxLength(100))
});

export const load: PageServerLoad = async ({ locals, url, depends }) => {
	demand(locals, 'claim');
	depends('limen:live');
	const { customerId } = locals;
	const [batches, unbound, waits, refused, open, models, suppliers] = await Promise.all([
		recentBatches(customerId, 6),
		unboundUnits(customerId, 40),
		registryWaits(customerId),
		refusedUnits(customerId),
		openBatches(customerId, 12),
		intakeModels(database()),
		knownSuppliers()
	]);
	return {
		batches,
		unbound,
		waits,
		refused,
		models: models.map(({ id, name, serial }) => ({ id, name, serial })),
		open,
		suppliers,
		start: (url.searchParams.get('serial') ?? '').slice(0, 64)
	};
};

export const actions: Actions = {
	claim: async (event) => {
		demand(event.locals, 'claim');
		const parsed = v.safeParse(formSchema, Object.fromEntries(await event.request.formData()));
		if (!parsed.success) return fail(400, { problem: parsed.issues[0].message, text: null });
		const { customer, text, file, batch, columns, supplier } = parsed.output;
		const read = await textOf(file);
		if (read?.ok === false)
			return fail(400, { problem: `${read.problem} Nothing was taken in.`, text: null });
		const given = [text, read?.text ?? ''].filter((one) => one.trim() !== '').join('\n');
		const actor = actorOf(event);
		const act = await claimBatch(customer, given, actor, {
			mending: batch ? { batchId: batch, ordinal: null } : null,
			columns: chosenColumns(columns),
			supplier
		});
		// A paste by mistake is not sent back: the page still has it
		if (!act.ok) return fail(400, { problem: act.problem, text: null });
		const bound = await bindOnTheWay(customer, act.done.rows, actor);
		const rows = act.done.rows.map((row) => ({ ...row, bound: bound.get(row.line) ?? null }));
		const bad = rows.filter(({ verdict }) => isBad(verdict));
		const good = rows.filter(({ verdict }) => !isBad(verdict)).map((row) => ({ ...row, raw: '' }));
		return {
			outcome: {
				...act.done,
				// Of the whole batch, also when some of its rows came again
				counts: (await batchProgress(act.done.batchId)).counts as BatchCounts,
				rows: [...bad, ...good].slice(0, MOST_SHOWN),
				given: rows.length,
				bound: [...bound.values()].filter(({ ok }) => ok === true).length,
				held: [...bound.values()].filter(({ ok }) => ok === null).length,
				unbound: [...bound.values()].filter(({ ok }) => ok === false).length,
				remark: read?.remark ?? null
			},
			text: [bad.length > 0 ? act.done.heading : null, ...bad.map(({ raw }) => raw)]
				.filter((line) => line !== null)
				.join('\n')
		};
	},
	/** How a list will be read, before anything is taken in. */
	columns: async (event) => {
		demand(event.locals, 'claim');
		const parsed = v.safeParse(columnsSchema, Object.fromEntries(await event.request.formData()));
		if (!parsed.success) return fail(400, { problem: parsed.issues[0].message });
		const { customer, text, file, supplier } = parsed.output;
		const read = await textOf(file);
		if (read?.ok === false) return fail(400, { problem: read.problem });
		return { read: await readColumns(read?.text ?? text, customer || null, supplier) };
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
