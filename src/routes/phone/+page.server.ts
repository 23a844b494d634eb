import { timeNow } from '$lib/server/database';
import * as v from 'valibot';
import { checkPhrase } from '$core/onboarding';
import { refuse } from '$lib/server/act';
import { formAction, oneId } from '$lib/server/forms';
import { unitById } from '$lib/server/intake';
import { arrivalAt } from '$lib/server/runs';
import { bindUnit, phonePairs, unbindUnit, withWarnings } from '$lib/server/binding';
import { demand } from '$lib/server/people';
import type { Actions, PageServerLoad } from './$types';

const LONGEST = 200;

/** Binding by telephone: what was heard, and the likeliest pairs for it. */
export const load: PageServerLoad = async ({ locals, url, depends }) => {
	demand(locals, 'bind');
	depends('limen:live');
	const heard = (url.searchParams.get('q') ?? '').slice(0, LONGEST);
	const pairs = await phonePairs(heard, locals.customerId, timeNow());
	return {
		heard,
		pairs: await withWarnings(pairs, ({ unit, position }) => ({ unitId: unit.id, positionId: position.id }))
	};
};

const CHOOSE = 'Choose a pair first.';
const pairSchema = v.object({ position: oneId(CHOOSE), unit: oneId(CHOOSE) });

export const actions: Actions = {
	bind: formAction(pairSchema, {
		act: ({ position, unit }, actor) => bindUnit(position, unit, actor),
		said: async (_, { position, unit }) => {
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
		}
	}),
	undo: formAction(v.object({ position: pairSchema.entries.position }), {
		act: async ({ position }, actor) => {
			const arrival = await arrivalAt(position);
			return arrival?.heardAt
				? refuse(
						`${arrival.serial} has called already. Unbind it at its site: what that means is said there.`
					)
				: unbindUnit(position, actor);
		},
		said: 'Undone. Both are open again.'
	})
};
