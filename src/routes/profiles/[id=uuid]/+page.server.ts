import { error, fail, redirect } from '@sveltejs/kit';
import * as v from 'valibot';
import { DIALECTS } from '$core/config';
import { valuesSchema } from '$core/profile';
import { database } from '$lib/server/database';
import { allImages } from '$lib/server/firmware';
import { actorOf } from '$lib/server/people';
import { demand } from '$lib/server/people/requests';
import {
	allParts,
	coverageOfRevision,
	draftFrom,
	dropProfileDraft,
	fieldsOfRevision,
	maskedValues,
	newestPartRevisions,
	profileById,
	renderingModels,
	revisionsById,
	revisionsOf,
	saveProfile,
	secretsAmong,
	type Revision
} from '$lib/server/profile';
import {
	checksSchema,
	draftTextsSchema,
	filesSchema,
	jsonText,
	scriptsSchema
} from '$lib/server/profile/schemas';
import type { Actions, PageServerLoad } from './$types';

export const load: PageServerLoad = async ({ params, url, locals, depends }) => {
	demand(locals, 'see profiles');
	depends('limen:live');
	const [profile, revisions] = await Promise.all([profileById(params.id), revisionsOf(params.id)]);
	if (!profile) error(404, 'There is no such profile.');
	const number = Number(url.searchParams.get('revision'));
	const chosenId = (revisions.find((revision) => revision.number === number) ?? revisions[0]!).id;
	const [found, library, newest, models, images] = await Promise.all([
		revisionsById(database(), [chosenId]),
		allParts(),
		newestPartRevisions(),
		renderingModels(database()),
		allImages()
	]);
	const chosen = found.get(chosenId)!;
	const ofRole = [...models.values()].filter(({ roles }) => roles.includes(profile.roleId));
	return {
		profile,
		revisions,
		dialects: DIALECTS.filter(
			(one) => chosen.texts[one] || chosen.scripts[one] || ofRole.some(({ dialect }) => dialect === one)
		),
		chosen: shown(chosen),
		coverage: await coverageOfRevision(chosen),
		library: library.flatMap(({ id, name, summary, dialects }) => {
			const revision = newest.find(({ partId }) => partId === id);
			return revision
				? [
						{
							partId: id,
							name,
							summary,
							dialects,
							revisionId: revision.id,
							number: revision.number,
							fields: revision.fields
						}
					]
				: [];
		}),
		lines: [...new Set(ofRole.map(({ firmwareLine }) => firmwareLine))].map((line) => ({
			line,
			versions: images.filter(({ firmwareLine }) => firmwareLine === line).map(({ version }) => version)
		}))
	};
};

/** A revision as people may see it. */
const shown = (revision: Revision): Revision => ({
	...revision,
	values: maskedValues(revision.values, secretsAmong(fieldsOfRevision(revision)))
});

const edit = v.pipe(v.string(), v.regex(/^\d{1,9}$/), v.transform(Number));
const draftSchema = v.pipe(
	jsonText,
	v.object({
		parts: v.pipe(v.array(v.pipe(v.string(), v.uuid())), v.maxLength(60, 'A profile has 60 parts at most.')),
		texts: draftTextsSchema,
		targets: v.record(
			v.pipe(v.string(), v.maxLength(64)),
			v.pipe(v.string(), v.regex(/^[0-9A-Za-z.+_-]{1,64}$/, 'A version has letters, digits and “.+_-”.'))
		),
		scripts: scriptsSchema,
		files: filesSchema,
		checks: checksSchema,
		values: valuesSchema
	})
);

export const actions: Actions = {
	save: async (event) => {
		const parsed = v.safeParse(
			v.object({ edit, draft: draftSchema }),
			Object.fromEntries(await event.request.formData())
		);
		if (!parsed.success) return fail(400, { problem: parsed.issues[0].message });
		const saved = await saveProfile(
			event.params.id!,
			parsed.output.edit,
			parsed.output.draft as never,
			actorOf(event)
		);
		if (saved.ok) return { said: 'The draft is saved.', edit: saved.done.edit };
		return fail(409, { problem: saved.problem, theirs: saved.theirs ? shown(saved.theirs) : null });
	},
	again: async (event) => {
		const number = v.safeParse(edit, (await event.request.formData()).get('number'));
		if (!number.success) return fail(400, { problem: 'No revision was named.' });
		const act = await draftFrom(event.params.id!, number.output, actorOf(event));
		if (!act.ok) return fail(409, { problem: act.problem });
		redirect(303, `/profiles/${event.params.id}`);
	},
	drop: async (event) => {
		const given = v.safeParse(edit, (await event.request.formData()).get('edit'));
		if (!given.success) return fail(400, { problem: 'No draft was named.' });
		const act = await dropProfileDraft(event.params.id!, given.output, actorOf(event));
		if (!act.ok) return fail(409, { problem: act.problem });
		redirect(303, `/profiles/${event.params.id}`);
	}
};
