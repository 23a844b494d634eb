import { error } from '@sveltejs/kit';
import * as v from 'valibot';
import { flashHasEnded } from '$core/firmware';
import { connectionOf } from '$lib/server/connections';
import { VERSION_FORM } from '$lib/server/firmware';
import { formAction } from '$lib/server/forms';
import { unitById } from '$lib/server/intake';
import { demand } from '$lib/server/people';
import { boundUnit, flashAhead, flashesOf, flashUnit } from '$lib/server/send';
import { disruptionAt } from '$lib/server/windows';
import type { Actions, PageServerLoad } from './$types';

export const load: PageServerLoad = async ({ params, url, depends, locals }) => {
	depends('limen:live');
	const unit = await unitById(params.id);
	if (!unit) error(404, 'There is no such unit.');
	demand(locals, 'see renderings', unit.customerId);
	const given = url.searchParams.get('to') ?? '';
	const [flashes, bound, connection, ahead] = await Promise.all([
		flashesOf(unit.id),
		boundUnit(unit.id),
		connectionOf(unit.id),
		flashAhead(unit.id, VERSION_FORM.test(given) ? given : null)
	]);
	return {
		unit,
		place: bound && { site: bound.siteName, position: bound.positionName, siteId: bound.siteId },
		isConnected: connection !== undefined && connection.endedAt === null,
		underWay: flashes.find(({ flash }) => !flashHasEnded(flash.state)) ?? null,
		earlier: flashes.filter(({ flash }) => flashHasEnded(flash.state)),
		ahead
	};
};

const flashSchema = v.object({
	to: v.pipe(v.string('Which version?'), v.regex(VERSION_FORM, 'Which version?')),
	asked: v.optional(v.literal('on'))
});

export const actions: Actions = {
	flash: formAction(flashSchema, {
		ask: async ({ to }, actor, { params }) => {
			const unit = await boundUnit(params.id!);
			if (!unit || !actor.may('send', unit.customerId)) return null;
			const { words, whom } = await disruptionAt(unit.siteId);
			return {
				words: `${unit.positionName} is brought to firmware ${to}. It restarts, and all that hangs on it is away until it is back.${words}`,
				whom,
				sites: [unit.siteName],
				wantsReason: true
			};
		},
		act: ({ to, asked }, actor, { params }) => flashUnit(params.id!, { to, asked: asked === 'on' }, actor),
		said: 'It has begun: the unit fetches the image first.'
	})
};
