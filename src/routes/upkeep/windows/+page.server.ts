import { error, type RequestEvent } from '@sveltejs/kit';
import * as v from 'valibot';
import { refuse } from '$lib/server/act';
import { database, timeNow } from '$lib/server/database';
import { formAction } from '$lib/server/forms';
import { demand } from '$lib/server/people';
import { customers, patternById, siteById } from '$lib/server/plan';
import {
	rulesOf,
	saveWindowRule,
	statedWindows,
	windowFormSchema,
	withHolidays,
	zonesOf,
	type RuleOwner
} from '$lib/server/windows';
import { stanceSchema, statedFor, takeStance } from '$lib/server/stance';
import type { Actions, PageServerLoad } from './$types';

/** Whose windows the address names; null: of nobody yet. */
async function ownerIn({ url, locals }: Pick<RequestEvent, 'url' | 'locals'>) {
	const named = (name: string) => {
		const given = url.searchParams.get(name);
		if (given === null) return null;
		if (!v.is(v.pipe(v.string(), v.uuid()), given)) error(404, `There is no such ${name}.`);
		return given;
	};
	const [siteId, patternId] = [named('site'), named('pattern')];
	if (siteId) {
		const site = await siteById(siteId);
		if (!site) error(404, 'There is no such site.');
		const { customerId, name } = site;
		return { owner: { customerId, siteId, patternId: null } satisfies RuleOwner, name };
	}
	if (patternId) {
		const pattern = await patternById(database(), patternId);
		if (!pattern) error(404, 'There is no such pattern.');
		const { customerId, name } = pattern;
		return { owner: { customerId, siteId: null, patternId } satisfies RuleOwner, name };
	}
	if (!locals.customerId) return null;
	const customer = (await customers()).find(({ id }) => id === locals.customerId);
	if (!customer) return null;
	return {
		owner: { customerId: locals.customerId, siteId: null, patternId: null } satisfies RuleOwner,
		name: customer.name
	};
}

export const load: PageServerLoad = async ({ depends, locals, url }) => {
	demand(locals, 'see');
	depends('limen:live');
	const found = await ownerIn({ url, locals });
	if (!found) return { of: null, stated: await statedWindows() };
	const { owner, name } = found;
	demand(locals, 'see', owner.customerId);
	const [rules, zones, stance] = await Promise.all([
		rulesOf(owner),
		zonesOf(owner),
		owner.patternId ? null : statedFor({ ...owner, unitId: null })
	]);
	return { of: { ...owner, name, ...rules, zones, stance }, stated: [] };
};

const NOBODY = 'Choose a customer, a pattern or a site first.';
async function ownerOr404(event: RequestEvent): Promise<RuleOwner> {
	const found = await ownerIn(event);
	if (!found) error(404, NOBODY);
	return found.owner;
}

export const actions: Actions = {
	save: formAction(windowFormSchema, {
		act: async (given, actor, event) => saveWindowRule(await ownerOr404(event), given, actor),
		said: 'Kept. It counts from now on.'
	}),
	stance: formAction(stanceSchema, {
		act: async ({ stance }, actor, event) => {
			const { customerId, siteId, patternId } = await ownerOr404(event);
			if (patternId) return refuse('A stance is of a customer, a site or a unit.');
			return takeStance({ customerId, siteId, unitId: null }, stance, actor);
		},
		said: 'Kept. It counts from now on.'
	}),
	holidays: formAction(
		v.object({ ...windowFormSchema.entries, calendar: v.file('Choose a calendar file.') }),
		{
			of: 'plan sites',
			act: async ({ rule, calendar }) =>
				withHolidays(rule, await calendar.text(), new Date(timeNow()).toISOString().slice(0, 10)),
			said: (rule) => ({ said: 'These days were read. Nothing is kept yet.', rule })
		}
	)
};
