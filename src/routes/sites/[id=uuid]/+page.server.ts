import { counted } from '$core/text';
import { error, type RequestEvent } from '@sveltejs/kit';
import * as v from 'valibot';
import { unitsFor } from '$lib/server/intake';
import { database } from '$lib/server/database';
import { editNumber, formAction, oneId } from '$lib/server/forms';
import { adviceOn } from '$lib/server/runs';
import {
	bindUnit,
	retryRun,
	swapUnit,
	unbindUnit,
	withWarnings,
	bindAction,
	retryAction,
	revealAction,
	swapAction,
	unbindAction
} from '$lib/server/binding';
import { notesAt } from '$lib/server/day';
import { endLinks, linksOf } from '$lib/server/paper';
import { maySee } from '$lib/server/people';
import { handovers } from '$lib/server/handover';
import { acceptCabling, cablingFound, proofSummary } from '$lib/server/proof';
import {
	addPosition,
	cablingOf,
	cablingSchema,
	changeSite,
	copyChoices,
	copySetUp,
	decideCabling,
	followProfile,
	positionsOf,
	removePosition,
	siteById,
	siteFormSchema,
	sitePlan,
	sitesNear
} from '$lib/server/plan';
import {
	profileNames,
	jsonText,
	previewOf,
	renderingSources,
	revealSecret,
	type RenderingSource
} from '$lib/server/profile';
import { gapsAt, outlook } from '$lib/server/watch';
import { siteStanding } from '$core/plan';
import { windowAt } from '$lib/server/windows';
import type { Actions, PageServerLoad } from './$types';

export const load: PageServerLoad = async ({ params, url, depends, locals }) => {
	depends('limen:live');
	const site = await siteById(params.id);
	if (!site) error(404, 'There is no such site.');
	const positions = await positionsOf(site.id);
	const chosen =
		positions.find(({ id }) => id === url.searchParams.get('position')) ??
		positions.find(({ standing }) => standing === 'stuck' || standing === 'stalled') ??
		positions[0] ??
		null;
	const all = maySee(locals, 'see renderings', site.customerId);
	const mayPlan = maySee(locals, 'plan sites', site.customerId);
	// Of what is online nothing is to come that could be rehearsed
	const isToCome = positions.some(({ standing }) => standing !== 'online');
	const planned = await sitePlan(site.id, positions, all);
	const proof = await proofSummary(site.id);
	const { sites, runs } = await outlook([site.id]);
	const copying = url.searchParams.has('copy') && mayPlan;
	const to = v.safeParse(v.pipe(v.string(), v.uuid()), url.searchParams.get('copy'));
	return {
		site,
		...planned,
		gaps: await gapsAt(site.id, planned.missing, all && isToCome),
		// Who else works for the customer is for those who choose among them
		technicians: mayPlan ? planned.technicians : [],
		change: url.searchParams.has('change') && mayPlan,
		map: url.searchParams.has('map'),
		near: url.searchParams.has('map') ? await sitesNear(site) : [],
		// The line of its configuration that is asked about
		line: Number(url.searchParams.get('line')) || null,
		cabling: all ? ((await cablingOf([site.id])).get(site.id) ?? null) : null,
		cablingFound: all ? await cablingFound(site.id) : null,
		cablingEdited: url.searchParams.has('cabling') && mayPlan,
		notes: await notesAt(site.id),
		links: await linksOf(site.id),
		profiles: all ? (await profileNames()).map(({ id, name, roleName }) => ({ id, name, roleName })) : [],
		...(copying
			? await copyChoices(site.id, site.customerId, to.success ? to.output : null)
			: { others: null, copy: null }),
		positions: positions.map((position) => ({
			...position,
			ends: (position.arrival && runs.get(position.arrival.runId)) ?? null
		})),
		// When all that is on its way here is expected to be through, and since when that is
		ends: sites.get(site.id) ?? null,
		began: least(
			positions.flatMap(({ arrival }) => (arrival?.outcome === 'open' ? (arrival.calledAt ?? []) : []))
		),
		proof,
		wasHandedOver: (await handovers({ siteId: site.id }, 1)).length > 0,
		window: await windowAt(site.id),
		standing: siteStanding(
			positions.map(({ standing }) => standing),
			proof.state
		),
		chosen: chosen && {
			...chosen,
			...(await detail(chosen.id, all)),
			advice: chosen.arrival && adviceOn(chosen.arrival),
			suitable: await withWarnings(await unitsFor(chosen.id), ({ id }) => ({
				unitId: id,
				positionId: chosen.id
			}))
		}
	};
};

const least = (moments: readonly number[]): number | null =>
	moments.length > 0 ? Math.min(...moments) : null;

async function detail(positionId: string, all: boolean) {
	const source = (await renderingSources(database(), [positionId])).get(positionId)!;
	return all
		? { preview: await previewOf(source), otherProfiles: await otherProfiles(source) }
		: { preview: null, otherProfiles: [] };
}

/** Profiles that a position could follow instead. */
const otherProfiles = async ({ profileId, roleId }: RenderingSource) =>
	(await profileNames())
		.filter((profile) => profile.roleId === roleId && profile.id !== profileId)
		.map(({ id, name }) => ({ id, name }));

const planSchema = v.object({
	name: v.pipe(
		v.string('Name the position.'),
		v.trim(),
		v.minLength(1, 'Name the position.'),
		v.maxLength(120, 'A position’s name has at most 120 characters.')
	),
	profile: oneId('Choose a profile.')
});
const changeSchema = v.object({ ...siteFormSchema.entries, edit: editNumber });
const here = (_done: unknown, _given: unknown, event: RequestEvent) => `/sites/${event.params.id}`;

export const actions: Actions = {
	bind: bindAction(bindUnit),
	unbind: unbindAction(unbindUnit),
	swap: swapAction(swapUnit),
	retry: retryAction(retryRun),
	reveal: revealAction(revealSecret),
	endLinks: formAction(v.object({}), {
		act: (_, actor, event) => endLinks(event.params.id!, actor),
		said: 'The addresses on its cards lead nowhere any more.'
	}),
	change: formAction(changeSchema, {
		act: ({ edit, ...form }, actor, event) => changeSite(event.params.id!, edit, form, actor),
		goes: here
	}),
	plan: formAction(planSchema, {
		act: ({ name, profile }, actor, event) => addPosition(event.params.id!, name, profile, actor),
		said: (_, { name }) => `${name} is planned.`
	}),
	cable: formAction(v.object({ cables: v.pipe(jsonText, cablingSchema) }), {
		act: ({ cables }, actor, event) => decideCabling(event.params.id!, cables, actor),
		goes: here
	}),
	accept: formAction(v.object({}), {
		act: (_, actor, event) => acceptCabling(event.params.id!, actor),
		said: 'The plan follows the cables as they are; cards and labels say so from now on.'
	}),
	propose: formAction(v.object({}), {
		act: (_, actor, event) => decideCabling(event.params.id!, null, actor),
		said: 'It is cabled as proposed again.'
	}),
	remove: formAction(v.object({ position: oneId('Choose a position.') }), {
		act: ({ position }, actor) => removePosition(position, actor),
		goes: here
	}),
	copy: formAction(v.object({ to: oneId('Choose a site.') }), {
		act: ({ to }, actor, event) => copySetUp(event.params.id!, [to], actor),
		said: ({ changes }) => `Copied: ${counted(changes, 'change')}. Nothing was sent to any unit.`
	}),
	follow: formAction(
		v.object({ position: oneId('Choose a position.'), profile: oneId('Choose a profile.') }),
		{
			act: ({ position, profile }, actor) => followProfile(position, profile, actor),
			said: 'It follows the other profile now. Nothing was sent.'
		}
	)
};
