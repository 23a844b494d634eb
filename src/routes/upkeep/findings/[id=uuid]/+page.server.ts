import { error } from '@sveltejs/kit';
import * as v from 'valibot';
import { counted } from '$core/text';
import {
	acceptanceOf,
	acceptFindings,
	acceptedWords,
	findingById,
	leaveFindings,
	MOST_ACCEPTED,
	leaveSchema,
	unitsOfGroup
} from '$lib/server/drift';
import { formAction, manyIds } from '$lib/server/forms';
import { lastWorkAbout } from '$lib/server/jobs';
import { demand, maySee } from '$lib/server/people';
import { lookAtMany, putRightMany } from '$lib/server/send';
import { disruptionAtMany } from '$lib/server/windows';
import type { Actions, PageServerLoad } from './$types';

export const load: PageServerLoad = async ({ params, url, depends, locals }) => {
	depends('limen:live');
	const finding = await findingById(params.id);
	if (!finding) error(404, 'There is no such finding.');
	demand(locals, 'see renderings', finding.customerId);
	const [all, looked] = await Promise.all([unitsOfGroup(finding.id), lastWorkAbout(finding.id)]);
	const units = all.filter(({ customerId }) => maySee(locals, 'see renderings', customerId));
	const chosen = url.searchParams.getAll('accept').flatMap((value) => value.split(','));
	const accepting = units
		.map(({ findingId }) => findingId)
		.filter((id) => chosen.includes(id) || chosen.includes('all'))
		.slice(0, MOST_ACCEPTED);
	return {
		finding,
		looked: looked ?? null,
		units,
		accepting,
		acceptance:
			accepting.length > 0 && maySee(locals, 'set values', finding.customerId)
				? await acceptanceOf(accepting)
				: null
	};
};

const chosen = { finding: manyIds('Choose the units.', 2000) };

export const actions: Actions = {
	right: formAction(v.object({ ...chosen, asked: v.optional(v.literal('on')) }), {
		ask: async ({ finding }, _, { params }) => {
			const units = (await unitsOfGroup(params.id!)).filter(({ findingId }) => finding.includes(findingId));
			const sites = [...new Set(units.map(({ siteName }) => siteName))];
			const { words, whom } = await disruptionAtMany(units.map(({ siteId }) => siteId));
			return {
				words: `${counted(units.length, 'unit')} ${units.length === 1 ? 'is' : 'are'} put right. The connection of each is interrupted for a moment; one that does not come back goes back by itself.${words}`,
				whom,
				sites,
				wantsReason: true
			};
		},
		act: ({ finding, asked }, actor) => putRightMany(finding, asked === 'on', actor),
		said: ({ count }) => `${counted(count, 'unit')} taken up; the bar above says how far that is.`
	}),
	look: formAction(v.object(chosen), {
		act: async ({ finding }, actor, { params }) => {
			const units = (await unitsOfGroup(params.id!)).filter(({ findingId }) => finding.includes(findingId));
			return lookAtMany(
				params.id!,
				units.map(({ unitId, findingId }) => ({
					unitId,
					wanted: { kind: 'part', findings: [findingId] }
				})),
				actor
			);
		},
		goes: ({ id }) => `/work/${id}`
	}),
	leave: formAction(v.object({ ...chosen, ...leaveSchema.entries }), {
		act: ({ finding, until, why }, actor) => leaveFindings(finding, { until, why }, actor),
		said: ({ count }, { until }) => `${counted(count, 'finding')} left as it is until ${until}.`
	}),
	accept: formAction(
		v.object({
			...chosen,
			scope: v.picklist(['position', 'site', 'customer', 'own text'], 'Say where the value is given.')
		}),
		{
			act: ({ finding, scope }, actor) => acceptFindings(finding, scope, actor),
			said: ({ count }) => acceptedWords(count)
		}
	),
	takeUp: formAction(v.object(chosen), {
		act: ({ finding }, actor) => leaveFindings(finding, null, actor),
		said: 'It counts again.'
	})
};
