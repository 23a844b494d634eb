import { fail } from '@sveltejs/kit';
import * as v from 'valibot';
import { FACT_HEADINGS, FACT_NAMES, valueHeading } from '$core/plan';
import { database } from '$lib/server/database';
import { actorOf, maySee } from '$lib/server/people';
import { demand } from '$lib/server/people/requests';
import { cellsOfGeoJson, looksLikeGeoJson } from '$lib/server/plan/geojson';
import {
	patternById,
	patterns,
	readSheetFile,
	rehearseStamping,
	stampColumns,
	stampSites
} from '$lib/server/plan';
import { jsonText } from '$lib/server/profile/schemas';
import type { Actions, PageServerLoad } from './$types';

export const load: PageServerLoad = async ({ locals, url }) => {
	demand(locals, 'plan sites');
	const all = (await patterns(locals.customerId)).filter(({ customerId }) =>
		maySee(locals, 'plan sites', customerId)
	);
	const asked = url.searchParams.get('pattern');
	const chosen = all.find(({ id }) => id === asked) ?? all[0] ?? null;
	const pattern = chosen && (await patternById(database(), chosen.id));
	return {
		patterns: all,
		chosen,
		facts: FACT_NAMES.map((name) => FACT_HEADINGS[name]),
		columns: pattern ? (await stampColumns(pattern)).map(valueHeading) : []
	};
};

const LONGEST_TEXT = 2_000_000;
const cellsSchema = v.pipe(
	jsonText,
	v.pipe(v.array(v.pipe(v.array(v.pipe(v.string(), v.maxLength(8000))), v.maxLength(300))), v.maxLength(5002))
);
const checked = v.optional(v.literal('on'));
const options = { also: checked, allot: checked };
const id = v.pipe(v.string('Choose a pattern.'), v.uuid('Choose a pattern.'));
const compareSchema = v.object({
	...options,
	pattern: id,
	text: v.optional(v.pipe(v.string(), v.maxLength(LONGEST_TEXT, 'That is too long for a list of sites.')), '')
});
const stampSchema = v.object({ ...options, pattern: id, cells: cellsSchema, seal: v.string() });

export const actions: Actions = {
	compare: async (event) => {
		demand(event.locals, 'plan sites');
		const form = await event.request.formData();
		const file = form.get('file');
		const parsed = v.safeParse(
			compareSchema,
			Object.fromEntries([...form].filter(([, value]) => typeof value === 'string'))
		);
		if (!parsed.success) return fail(400, { problem: parsed.issues[0].message });
		const content =
			file instanceof File && file.size > 0
				? Buffer.from(await file.arrayBuffer())
				: Buffer.from(parsed.output.text, 'utf8');
		if (content.length === 0) return fail(400, { problem: 'Choose a file or paste a list first.' });
		const read = looksLikeGeoJson(content) ? cellsOfGeoJson(content) : await readSheetFile(content);
		if (!read.ok) return fail(400, { problem: read.problem });
		const stamping = {
			patternId: parsed.output.pattern,
			cells: read.cells,
			also: parsed.output.also === 'on',
			allot: parsed.output.allot === 'on'
		};
		const act = await rehearseStamping(stamping, actorOf(event));
		return act.ok
			? { compared: { ...act.done, remark: read.remark, ...stamping } }
			: fail(409, { problem: act.problem });
	},
	stamp: async (event) => {
		demand(event.locals, 'plan sites');
		const parsed = v.safeParse(stampSchema, Object.fromEntries(await event.request.formData()));
		if (!parsed.success) return fail(400, { problem: parsed.issues[0].message });
		const { pattern, cells, also, allot, seal } = parsed.output;
		const act = await stampSites(
			{ patternId: pattern, cells, also: also === 'on', allot: allot === 'on' },
			seal,
			actorOf(event)
		);
		return act.ok ? { stamped: act.done } : fail(409, { problem: act.problem });
	}
};
