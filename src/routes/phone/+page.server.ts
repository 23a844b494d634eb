import { fail } from '@sveltejs/kit';
import * as v from 'valibot';
import { checkPhrase } from '$core/onboarding';
import { unitById } from '$lib/server/intake';
import { arrivalAt, bindUnit, phonePairs, unbindUnit, withWarnings } from '$lib/server/onboarding';
import { actorOf } from '$lib/server/people';
import { demand } from '$lib/server/people/requests';
import type { Actions, PageServerLoad } from './$types';

const LONGEST = 200;

/** Binding by telephone: what was heard, and the likeliest pairs for it. */
export const load: PageServerLoad = async ({ locals, url, depends }) => {
	demand(locals, 'bind');
	depends('limen:live');
	const heard = (url.searchParams.get('q') ?? '').slice(0, LONGEST);
	const pairs = await phonePairs(heard, locals.customerId, Date.now());
	return {
		heard,
		pairs: await withWarnings(pairs, ({ unit, position }) => ({ unitId: unit.id, positionId: position.id }))
	};
};

const pairSchema = v.object({
	position: v.pipe(v.string(), v.uuid('Choose a pair first.')),
	unit: v.pipe(v.string(), v.uuid('Choose a pair first.'))
});

export const actions: Actions = {
	bind: async (event) => {
		const parsed = v.safeParse(pairSchema, Object.fromEntries(await event.request.formData()));
		if (!parsed.success) return fail(400, { problem: parsed.issues[0].message });
		const { position, unit } = parsed.output;
		const act = await bindUnit(position, unit, actorOf(event));
		if (!act.ok) return fail(409, { problem: act.problem });
		const [bound, arrival] = await Promise.all([unitById(unit), arrivalAt(position)]);
		return {
			bound: {
				positionId: position,
				siteId: arrival!.siteId,
				serial: bound!.serial,
				place: `${arrival!.siteName}, ${arrival!.positionName}`,
				phrase: checkPhrase(bound!.serial, position)
			}
		};
	},
	undo: async (event) => {
		const position = v.safeParse(
			pairSchema.entries.position,
			(await event.request.formData()).get('position') ?? ''
		);
		if (!position.success) return fail(400, { problem: position.issues[0].message });
		const arrival = await arrivalAt(position.output);
		if (arrival?.heardAt)
			return fail(409, {
				problem: `${arrival.serial} has called already. Unbind it at its site: what that means is said there.`
			});
		const act = await unbindUnit(position.output, actorOf(event));
		return act.ok ? { said: 'Undone. Both are open again.' } : fail(409, { problem: act.problem });
	}
};
