import { acrossWords } from '$core/plan';
import { counted } from '$core/text';
import { error } from '@sveltejs/kit';
import * as v from 'valibot';
import { done, refuse } from '$lib/server/act';
import { formAction } from '$lib/server/forms';
import { maySee, demand } from '$lib/server/people';
import {
	compareSheet,
	placed,
	readSheetFile,
	saveValues,
	SHEET_TARGETS,
	sheetColumns,
	sheetRows,
	sheetSize,
	type SheetChoice,
	sheetChoice
} from '$lib/server/plan';
import { allProfiles, renderingSources, jsonText } from '$lib/server/profile';
import { database } from '$lib/server/database';
import type { Actions, PageServerLoad } from './$types';

/** So many rows come with the page; the others follow while one works on them. */
const FIRST_ROWS = 60;
const MOST_ROWS = 20_000;

export const load: PageServerLoad = async ({ url, locals, depends }) => {
	demand(locals, 'see renderings');
	depends('limen:values');
	const profiles = await allProfiles();
	const asked = sheetChoice(url, locals);
	// Where nobody says which, the one that most positions follow
	const [usual] = profiles.toSorted((a, b) => b.positions - a.positions);
	const choice = await withProfile(asked, usual?.id ?? null);
	if (!choice)
		return { profiles, choice: null, columns: [], rows: [], size: 0, field: null, mayWrite: false };
	const [columns, rows, size] = await Promise.all([
		sheetColumns(choice),
		sheetRows(choice, 0, FIRST_ROWS),
		sheetSize(choice)
	]);
	return {
		profiles,
		choice,
		columns,
		rows,
		size,
		field: url.searchParams.get('field'),
		mayWrite: maySee(locals, 'set values', locals.customerId)
	};
};

/** A link to one position's cell names no profile: it is the position's own. */
async function withProfile(asked: Partial<SheetChoice>, first: string | null): Promise<SheetChoice | null> {
	const found = asked.positionId
		? (await renderingSources(database(), [asked.positionId])).get(asked.positionId)
		: undefined;
	const own = !found || !asked.customers || asked.customers.includes(found.customerId) ? found : undefined;
	if (asked.positionId && !own) error(404, 'There is no such position.');
	const profileId = asked.profileId ?? own?.profileId ?? first;
	return profileId ? { customerId: null, ...asked, profileId } : null;
}

const changesSchema = v.pipe(
	jsonText,
	v.pipe(
		v.array(
			v.object({
				positionId: v.pipe(v.string(), v.uuid()),
				field: v.pipe(v.string(), v.maxLength(63)),
				target: v.optional(v.picklist(SHEET_TARGETS)),
				was: v.pipe(v.string(), v.maxLength(8000)),
				now: v.pipe(
					v.string(),
					v.maxLength(8000),
					v.check((text) => !text.includes('\0'), 'A value holds no NUL character.')
				),
				place: v.optional(v.string(), '')
			})
		),
		v.minLength(1, 'Nothing was changed.'),
		v.maxLength(100_000, 'At most 100,000 cells at once.')
	)
);

const fileSchema = v.object({
	file: v.pipe(
		v.instance(File, 'Choose a file first.'),
		v.check(({ size }) => size > 0, 'Choose a file first.')
	)
});

export const actions: Actions = {
	save: formAction(v.object({ changes: changesSchema }), {
		act: ({ changes }, actor) => saveValues(changes, actor),
		said: ({ cells, across }) =>
			[`${counted(cells, 'value is', 'values are')} saved.`, acrossWords(across)].filter(Boolean).join(' '),
		refused: ({ cells }, { changes }) => ({ cells, list: placed(cells, changes) })
	}),
	compare: formAction(fileSchema, {
		of: 'set values',
		act: async ({ file }, _, event) => {
			const choice = await withProfile(sheetChoice(event.url, event.locals), null);
			if (!choice) return refuse('Choose a profile first.');
			const reading = await readSheetFile(Buffer.from(await file.arrayBuffer()));
			if (!reading.ok) return refuse(reading.problem);
			const [columns, rows] = await Promise.all([
				sheetColumns({ ...choice, all: true }),
				sheetRows({ ...choice, all: true }, 0, MOST_ROWS)
			]);
			return done({ ...compareSheet(reading.cells, columns, rows), remark: reading.remark });
		},
		said: (compared) => ({ compared })
	})
};
