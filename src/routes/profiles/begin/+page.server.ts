import * as v from 'valibot';
import { partsFor, stepsFor, UPLINK_KINDS } from '$core/profile';
import { database } from '$lib/server/database';
import { formAction } from '$lib/server/forms';
import { demand } from '$lib/server/people';
import {
	allParts,
	allRoles,
	createProfile,
	EMPTY_DRAFT,
	newestPartRevisions,
	renderingModels,
	thingName
} from '$lib/server/profile';
import type { Actions, PageServerLoad } from './$types';

/** Parts of the library that have been released, with what their newest revision holds. */
async function library() {
	const [parts, newest] = await Promise.all([allParts(), newestPartRevisions()]);
	return parts.flatMap(({ id, name, purpose, summary }) => {
		const revision = newest.find(({ partId }) => partId === id);
		return revision
			? [
					{
						id,
						name,
						purpose,
						summary,
						revisionId: revision.id,
						texts: revision.texts,
						fields: revision.fields
					}
				]
			: [];
	});
}

export const load: PageServerLoad = async ({ locals }) => {
	demand(locals, 'edit profiles');
	const [parts, roles, models] = await Promise.all([library(), allRoles(), renderingModels(database())]);
	return {
		roles,
		library: parts,
		models: [...models.values()].map(({ id, name, dialect, roles: serves, ports }) => ({
			id,
			name,
			dialect,
			roles: serves,
			ports
		}))
	};
};

const schema = v.object({
	name: thingName,
	role: v.pipe(v.string('Choose what it is for.'), v.maxLength(40)),
	uplink: v.optional(v.picklist(['any', ...UPLINK_KINDS]), 'any'),
	guests: v.optional(v.string()),
	tunnel: v.optional(v.string())
});

export const actions: Actions = {
	default: formAction(schema, {
		act: async ({ name, role, uplink, guests, tunnel }, actor) => {
			const steps = stepsFor({ role, uplink, guests: guests === 'on', tunnel: tunnel === 'on' });
			const parts = partsFor(steps, await library()).flatMap(({ part }) => (part ? [part.revisionId] : []));
			return createProfile({ name, role, draft: { ...EMPTY_DRAFT, parts } }, actor);
		},
		goes: ({ id }) => `/profiles/${id}`
	})
};
