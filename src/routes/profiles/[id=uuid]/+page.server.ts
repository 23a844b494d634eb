import { error, type RequestEvent } from '@sveltejs/kit';
import * as v from 'valibot';
import { DIALECTS } from '$core/config';
import { valuesSchema } from '$core/profile';
import { done, refuse } from '$lib/server/act';
import { database } from '$lib/server/database';
import { allImages } from '$lib/server/firmware';
import { editNumber, formAction, oneId } from '$lib/server/forms';
import { behindByProfile } from '$lib/server/drift';
import { customersWhere, demand } from '$lib/server/people';
import { positionsOfProfile } from '$lib/server/plan';
import {
	allParts,
	coverageOfRevision,
	draftFrom,
	dropProfileDraft,
	fieldsOfRevision,
	maskedValues,
	newestPartRevisions,
	previewOf,
	profileById,
	renderingModels,
	revisionsById,
	revisionsOf,
	saveProfile,
	secretsAmong,
	sourceWithDraft,
	type Revision,
	checksSchema,
	draftTextsSchema,
	filesSchema,
	jsonText,
	scriptsSchema
} from '$lib/server/profile';
import { rehearseDraft } from '$lib/server/watch';
import type { Actions, PageServerLoad } from './$types';

const tabSchema = v.fallback(
	v.picklist(['parts', 'values', 'firmware', 'checks', 'files', 'revisions']),
	'parts'
);

export const load: PageServerLoad = async ({ params, url, locals, depends }) => {
	demand(locals, 'see profiles');
	depends('limen:live');
	const [profile, revisions] = await Promise.all([profileById(params.id), revisionsOf(params.id)]);
	if (!profile) error(404, 'There is no such profile.');
	const number = Number(url.searchParams.get('revision'));
	const chosenId = (revisions.find((revision) => revision.number === number) ?? revisions[0]!).id;
	const [found, library, newest, models, images] = await Promise.all([
		revisionsById(database(), [chosenId]),
		allParts(params.id),
		newestPartRevisions(),
		renderingModels(database()),
		allImages()
	]);
	const chosen = found.get(chosenId)!;
	const ofRole = [...models.values()].filter(({ roles }) => roles.includes(profile.roleId));
	return {
		profile,
		revisions,
		tab: v.parse(tabSchema, url.searchParams.get('tab')),
		positions: await positionsOfProfile(profile.id, locals.customerId),
		behind:
			(await behindByProfile(customersWhere(locals, 'see renderings', locals.customerId), profile.id))[0] ??
			null,
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

const GONE = 'There is no such position, or this draft cannot be saved as it is.';
const here = (_done: unknown, _given: unknown, event: RequestEvent) => `/profiles/${event.params.id}`;

export const actions: Actions = {
	save: formAction(v.object({ edit: editNumber, draft: draftSchema }), {
		act: ({ edit, draft }, actor, event) => saveProfile(event.params.id!, edit, draft as never, actor),
		said: ({ edit }) => ({ said: 'The draft is saved.', edit }),
		refused: ({ theirs }) => ({ theirs: theirs ? shown(theirs) : null })
	}),
	preview: formAction(v.object({ position: oneId('Choose a position.'), draft: draftSchema }), {
		of: 'see profiles',
		act: async ({ position, draft }, actor, event) => {
			const source = await sourceWithDraft(event.params.id!, position, draft as never, actor);
			return source && actor.may('see renderings', source.customerId)
				? done({ preview: await previewOf(source) })
				: refuse(GONE);
		},
		said: ({ preview }) => ({ preview })
	}),
	rehearse: formAction(v.object({}), {
		of: 'edit profiles',
		act: (_, actor, event) => rehearseDraft(event.params.id!, actor),
		goes: ({ id }) => `/work/${id}`
	}),
	again: formAction(v.object({ number: editNumber }), {
		act: ({ number }, actor, event) => draftFrom(event.params.id!, number, actor),
		goes: here
	}),
	drop: formAction(v.object({ edit: editNumber }), {
		act: ({ edit }, actor, event) => dropProfileDraft(event.params.id!, edit, actor),
		goes: here
	})
};
