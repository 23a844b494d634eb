import * as v from 'valibot';
import { FACT_HEADINGS, FACT_NAMES, valueHeading } from '$core/plan';
import { done, refuse } from '$lib/server/act';
import { database } from '$lib/server/database';
import { formAction, oneId } from '$lib/server/forms';
import { maySee, demand } from '$lib/server/people';
import {
	cellsOfGeoJson,
	looksLikeGeoJson,
	patternById,
	patterns,
	readSheetFile,
	stampColumns,
	stampSites
} from '$lib/server/plan';
import { jsonText } from '$lib/server/profile';
import { rehearseStamping } from '$lib/server/watch';
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
const id = oneId('Choose a pattern.');
const compareSchema = v.object({
	...options,
	pattern: id,
	file: v.optional(v.instance(File)),
	text: v.optional(v.pipe(v.string(), v.maxLength(LONGEST_TEXT, 'That is too long for a list of sites.')), '')
});
const stampSchema = v.object({ ...options, pattern: id, cells: cellsSchema, seal: v.string() });

export const actions: Actions = {
	compare: formAction(compareSchema, {
		of: 'plan sites',
		act: async ({ pattern, text, file, also, allot }, actor) => {
			const content =
				file && file.size > 0 ? Buffer.from(await file.arrayBuffer()) : Buffer.from(text, 'utf8');
			if (content.length === 0) return refuse('Choose a file or paste a list first.');
			const read = looksLikeGeoJson(content) ? cellsOfGeoJson(content) : await readSheetFile(content);
			if (!read.ok) return refuse(read.problem);
			const stamping = { patternId: pattern, cells: read.cells, also: also === 'on', allot: allot === 'on' };
			const act = await rehearseStamping(stamping, actor);
			return act.ok ? done({ ...act.done, remark: read.remark, ...stamping }) : act;
		},
		said: (compared) => ({ compared })
	}),
	stamp: formAction(stampSchema, {
		of: 'plan sites',
		act: ({ pattern, cells, also, allot, seal }, actor) =>
			stampSites({ patternId: pattern, cells, also: also === 'on', allot: allot === 'on' }, seal, actor),
		said: (stamped) => ({ stamped })
	})
};
