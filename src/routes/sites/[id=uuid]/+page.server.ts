import { error, fail, redirect } from '@sveltejs/kit';
import * as v from 'valibot';
import { unitsFor } from '$lib/server/intake';
import { database } from '$lib/server/database';
import { adviceOn, bindUnit, retryRun, swapUnit, unbindUnit, withWarnings } from '$lib/server/onboarding';
import {
	bindAction,
	retryAction,
	revealAction,
	swapAction,
	unbindAction
} from '$lib/server/onboarding/actions';
import { notesAt } from '$lib/server/day';
import { endLinks, linksOf } from '$lib/server/paper';
import { actorOf, maySee } from '$lib/server/people';
import {
	addPosition,
	changeSite,
	copyChoices,
	copySetUp,
	followProfile,
	positionsOf,
	removePosition,
	siteById,
	siteFormSchema,
	sitePlan,
	sitesNear
} from '$lib/server/plan';
import {
	allProfiles,
	previewOf,
	renderingSources,
	revealSecret,
	type RenderingSource
} from '$lib/server/profile';
import { siteStanding } from '$core/plan';
import type { Actions, PageServerLoad } from './$types';

export const load: PageServerLoad = async ({ params, url, depends, locals }) => {
	depends('limen:live');
	const site = await siteById(params.id);
	if (!site) error(404, 'There is no such site.');
	const positions = await positionsOf(site.id);
	const chosen =
		positions.find(({ id }) => id === url.searchParams.get('position')) ??
		positions.find(({ standing }) => standing === 'stuck') ??
		positions[0] ??
		null;
	const all = maySee(locals, 'see renderings', site.customerId);
	const mayPlan = maySee(locals, 'plan sites', site.customerId);
	const planned = await sitePlan(site.id, positions, all);
	const copying = url.searchParams.has('copy') && mayPlan;
	const to = v.safeParse(id, url.searchParams.get('copy'));
	return {
		site,
		...planned,
		// Who else works for the customer is for those who choose among them
		technicians: mayPlan ? planned.technicians : [],
		change: url.searchParams.has('change') && mayPlan,
		near: await sitesNear(site),
		notes: await notesAt(site.id),
		links: await linksOf(site.id),
		profiles: all ? (await allProfiles()).map(({ id, name, roleName }) => ({ id, name, roleName })) : [],
		...(copying
			? await copyChoices(site.id, site.customerId, to.success ? to.output : null)
			: { others: null, copy: null }),
		positions,
		standing: siteStanding(positions.map(({ standing }) => standing)),
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

async function detail(positionId: string, all: boolean) {
	const source = (await renderingSources(database(), [positionId])).get(positionId)!;
	return all
		? { preview: await previewOf(source), otherProfiles: await otherProfiles(source) }
		: { preview: null, otherProfiles: [] };
}

/** Profiles that a position could follow instead. */
const otherProfiles = async ({ profileId, roleId }: RenderingSource) =>
	(await allProfiles())
		.filter((profile) => profile.roleId === roleId && profile.id !== profileId)
		.map(({ id, name }) => ({ id, name }));

const id = v.pipe(v.string(), v.uuid());
const planSchema = v.object({
	name: v.pipe(v.string(), v.trim(), v.minLength(1, 'Name the position.'), v.maxLength(120)),
	profile: v.pipe(v.string('Choose a profile.'), v.uuid('Choose a profile.'))
});
const editSchema = v.pipe(v.string(), v.regex(/^\d{1,9}$/), v.transform(Number));
const followSchema = v.object({ position: id, profile: id });

export const actions: Actions = {
	bind: bindAction(bindUnit),
	unbind: unbindAction(unbindUnit),
	swap: swapAction(swapUnit),
	retry: retryAction(retryRun),
	reveal: revealAction(revealSecret),
	endLinks: async (event) => {
		const act = await endLinks(event.params.id!, actorOf(event));
		return act.ok
			? { said: 'The addresses on its cards lead nowhere any more.' }
			: fail(409, { problem: act.problem });
	},
	change: async (event) => {
		const fields = Object.fromEntries(await event.request.formData());
		const edit = v.safeParse(editSchema, fields.edit);
		const parsed = v.safeParse(siteFormSchema, fields);
		if (!edit.success || !parsed.success)
			return fail(400, { problem: parsed.issues?.[0].message ?? 'The form is not complete.' });
		const act = await changeSite(event.params.id, edit.output, parsed.output, actorOf(event));
		if (!act.ok) return fail(409, { problem: act.problem });
		redirect(303, `/sites/${event.params.id}`);
	},
	plan: async (event) => {
		const parsed = v.safeParse(planSchema, Object.fromEntries(await event.request.formData()));
		if (!parsed.success) return fail(400, { problem: parsed.issues[0].message });
		const act = await addPosition(event.params.id, parsed.output.name, parsed.output.profile, actorOf(event));
		return act.ok ? { said: `${parsed.output.name} is planned.` } : fail(409, { problem: act.problem });
	},
	remove: async (event) => {
		const position = v.safeParse(id, (await event.request.formData()).get('position'));
		if (!position.success) return fail(400, { problem: 'Choose a position.' });
		const act = await removePosition(position.output, actorOf(event));
		if (!act.ok) return fail(409, { problem: act.problem });
		redirect(303, `/sites/${event.params.id}`);
	},
	copy: async (event) => {
		const to = v.safeParse(id, (await event.request.formData()).get('to'));
		if (!to.success) return fail(400, { problem: 'Choose a site.' });
		const act = await copySetUp(event.params.id, [to.output], actorOf(event));
		return act.ok
			? { said: `Copied: ${act.done.changes} changes. Nothing was sent to any unit.` }
			: fail(409, { problem: act.problem });
	},
	follow: async (event) => {
		const parsed = v.safeParse(followSchema, Object.fromEntries(await event.request.formData()));
		if (!parsed.success) return fail(400, { problem: 'Choose a profile.' });
		const act = await followProfile(parsed.output.position, parsed.output.profile, actorOf(event));
		return act.ok
			? { said: 'It follows the other profile now. Nothing was sent.' }
			: fail(409, { problem: act.problem });
	}
};
