import { error } from '@sveltejs/kit';
import * as v from 'valibot';
import { connectionOf, reachAt, reachOf, reachSchema, stopReaching, waysOf } from '$lib/server/connections';
import { formAction } from '$lib/server/forms';
import { unitById } from '$lib/server/intake';
import { demand } from '$lib/server/people';
import type { Actions, PageServerLoad } from './$types';

export const load: PageServerLoad = async ({ params, depends, locals }) => {
	depends('limen:live');
	const unit = await unitById(params.id);
	if (!unit) error(404, 'There is no such unit.');
	demand(locals, 'reach units', unit.customerId);
	const [reach, connection, ways] = await Promise.all([
		reachOf(unit.id),
		connectionOf(unit.id),
		waysOf(unit.customerId)
	]);
	return { unit, reach, connection: connection ?? null, ways };
};

export const actions: Actions = {
	reach: formAction(reachSchema, {
		of: 'reach units',
		act: (given, actor, { params }) => reachAt(params.id!, given, actor),
		said: 'It is being reached. What comes of it stands here.'
	}),
	stop: formAction(v.object({}), {
		of: 'reach units',
		act: (_, actor, { params }) => stopReaching(params.id!, actor),
		said: 'It is reached at no address any more; its login is forgotten.'
	})
};
