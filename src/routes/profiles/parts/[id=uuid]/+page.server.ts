import { error, fail, redirect, type RequestEvent } from '@sveltejs/kit';
import * as v from 'valibot';
import { fieldsSchema } from '$core/profile';
import type { Act } from '$lib/server/act';
import type { Actor } from '$lib/server/ledger';
import { actorOf } from '$lib/server/people';
import { demand } from '$lib/server/people/requests';
import {
	dropPartDraft,
	partById,
	releasePart,
	retirePart,
	revisionsOfPart,
	savePart,
	usesOfPart
} from '$lib/server/profile';
import { draftTextsSchema, jsonText } from '$lib/server/profile/schemas';
import type { Actions, PageServerLoad } from './$types';

export const load: PageServerLoad = async ({ params, url, locals, depends }) => {
	demand(locals, 'see profiles');
	depends('limen:live');
	const [part, revisions, uses] = await Promise.all([
		partById(params.id),
		revisionsOfPart(params.id),
		usesOfPart(params.id)
	]);
	if (!part) error(404, 'There is no such part.');
	const number = Number(url.searchParams.get('revision'));
	const chosen = revisions.find((revision) => revision.number === number) ?? revisions[0]!;
	return { part, revisions, uses, chosen };
};

const edit = v.pipe(v.string(), v.regex(/^\d{1,9}$/), v.transform(Number));
const why = v.pipe(
	v.string(),
	v.trim(),
	v.minLength(1, 'Say why; a few words are enough.'),
	v.maxLength(2000)
);
const draftSchema = v.pipe(jsonText, v.object({ texts: draftTextsSchema, fields: fieldsSchema }));

const said =
	(
		words: string,
		act: (event: RequestEvent, fields: Record<string, unknown>, actor: Actor) => Promise<Act | null>
	) =>
	async (event: RequestEvent) => {
		const done = await act(event, Object.fromEntries(await event.request.formData()), actorOf(event));
		if (!done) return fail(400, { problem: 'Say why; a few words are enough.' });
		return done.ok ? { said: words } : fail(409, { problem: done.problem });
	};
const editOf = (fields: Record<string, unknown>) =>
	v.safeParse(edit, fields.edit).output as number | undefined;

export const actions: Actions = {
	save: async (event) => {
		const fields = Object.fromEntries(await event.request.formData());
		const parsed = v.safeParse(v.object({ edit, draft: draftSchema }), fields);
		if (!parsed.success) {
			const [issue] = parsed.issues;
			const place = issue.path?.[2]?.key;
			const name = (issue.path?.[2]?.value as { name?: string } | undefined)?.name;
			return fail(400, {
				problem: `${name ? `Field “${name}”: ` : typeof place === 'number' ? `Field ${place + 1}: ` : ''}${issue.message}`
			});
		}
		const saved = await savePart(event.params.id!, parsed.output.edit, parsed.output.draft, actorOf(event));
		return saved.ok
			? { said: 'The draft is saved.', edit: saved.done.edit }
			: fail(409, { problem: saved.problem, theirs: saved.theirs ?? null });
	},
	release: said(
		'Released. Profiles take it up when somebody chooses it there.',
		async (event, fields, actor) => {
			const reason = v.safeParse(why, fields.why);
			return reason.success ? releasePart(event.params.id!, editOf(fields) ?? 0, reason.output, actor) : null;
		}
	),
	drop: said('The draft is gone.', (event, fields, actor) =>
		dropPartDraft(event.params.id!, editOf(fields) ?? 0, actor)
	),
	retire: async (event) => {
		const act = await retirePart(event.params.id!, actorOf(event));
		if (!act.ok) return fail(409, { problem: act.problem });
		redirect(303, '/profiles#parts');
	}
};
