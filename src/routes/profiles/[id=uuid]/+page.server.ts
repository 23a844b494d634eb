import { error } from '@sveltejs/kit';
import { checkText, isSecretName, MASK } from '$core/profile';
import { demand } from '$lib/server/people/requests';
import { profileById, revisionsOf } from '$lib/server/profile';
import type { PageServerLoad } from './$types';

export const load: PageServerLoad = async ({ params, url, locals }) => {
	demand(locals, 'see profiles');
	const [profile, revisions] = await Promise.all([profileById(params.id), revisionsOf(params.id)]);
	if (!profile) error(404, 'There is no such profile.');
	const number = Number(url.searchParams.get('revision')) || profile.revisionNumber;
	const chosen = revisions.find((revision) => revision.number === number) ?? revisions[0] ?? null;
	return {
		profile,
		revisions: revisions.map(({ id, number: n, state, note, releasedAt }) => ({
			id,
			number: n,
			state,
			note,
			releasedAt
		})),
		chosen: chosen && {
			...chosen,
			values: Object.entries(chosen.values).map(([name, value]) => ({
				name,
				value: isSecretName(name) ? MASK : value
			})),
			problems: checkText(chosen.text)
		}
	};
};
