import { json } from '@sveltejs/kit';
import * as v from 'valibot';
import { syncSchema, takeOver } from '$lib/server/day';
import { actorOf, demand } from '$lib/server/people';
import type { RequestHandler } from './$types';

/** Takes over what was done on a phone. */
export const POST: RequestHandler = async (event) => {
	demand(event.locals, 'bind');
	const parsed = v.safeParse(syncSchema, await event.request.json().catch(() => null));
	if (!parsed.success) return json({ problem: parsed.issues[0].message }, { status: 400 });
	const { entries, now } = parsed.output;
	const actor = { ...actorOf(event), personId: event.locals.person!.id };
	return json({ outcomes: await takeOver(entries, now, actor) });
};
