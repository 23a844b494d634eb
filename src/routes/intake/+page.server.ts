import * as v from 'valibot';
import { isBad, LARGEST_FILE, LARGEST_TEXT, type BatchCounts } from '$core/intake';
import {
	batchProgress,
	chosenColumns,
	claimBatch,
	intakeModels,
	knownSuppliers,
	openBatches,
	readColumns,
	recentBatches,
	refusedUnits,
	registryWaits,
	unboundUnits,
	againAction,
	dropAction
} from '$lib/server/intake';
import { done, refuse } from '$lib/server/act';
import { database } from '$lib/server/database';
import { formAction } from '$lib/server/forms';
import { readList, type TextReading } from '$lib/server/list-file';
import { bindOnTheWay } from '$lib/server/binding';
import { demand } from '$lib/server/people';
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
	claim: formAction(formSchema, {
		of: 'claim',
		act: async ({ customer, text, file, batch, columns, supplier }, actor) => {
			const read = await textOf(file);
			if (read?.ok === false) return refuse(`${read.problem} Nothing was taken in.`);
			const given = [text, read?.text ?? ''].filter((one) => one.trim() !== '').join('\n');
			const act = await claimBatch(customer, given, actor, {
				mending: batch ? { batchId: batch, ordinal: null } : null,
				columns: chosenColumns(columns),
				supplier
			});
			if (!act.ok) return act;
			return done({
				claimed: act.done,
				...(await bindOnTheWay(customer, act.done, actor)),
				remark: read?.remark ?? null
			});
		},
		said: async ({ claimed, outcomes, work, remark }) => {
			const rows = claimed.rows.map((row) => ({ ...row, bound: outcomes.get(row.line) ?? null }));
			const bad = rows.filter(({ verdict }) => isBad(verdict));
			const good = rows.filter(({ verdict }) => !isBad(verdict)).map((row) => ({ ...row, raw: '' }));
			const counted = (wanted: boolean | null) =>
				[...outcomes.values()].filter(({ ok }) => ok === wanted).length;
			return {
				outcome: {
					...claimed,
					// Of the whole batch, also when some of its rows came again
					counts: (await batchProgress(claimed.batchId)).counts as BatchCounts,
					rows: [...bad, ...good].slice(0, MOST_SHOWN),
					given: rows.length,
					bound: counted(true),
					binding: work,
					held: counted(null) - (work?.count ?? 0),
					unbound: counted(false),
					remark
				},
				/** What was not taken in, to be mended. A paste by mistake is not sent back: the page still has it. */
				text: [bad.length > 0 ? claimed.heading : null, ...bad.map(({ raw }) => raw)]
					.filter((line) => line !== null)
					.join('\n')
			};
		}
	}),
	/** How a list will be read, before anything is taken in. */
	columns: formAction(columnsSchema, {
		of: 'claim',
		act: async ({ customer, text, file, supplier }) => {
			const read = await textOf(file);
			return read?.ok === false
				? refuse(read.problem)
				: done(await readColumns(read?.text ?? text, customer || null, supplier));
		},
		said: (read) => ({ read })
	}),
	again: againAction,
	drop: dropAction
};
