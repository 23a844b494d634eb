import { json } from '@sveltejs/kit';
import * as v from 'valibot';
import { settle, syncSchema, takeOver } from '$lib/server/field';
import { actorOf } from '$lib/server/people';
import { demand } from '$lib/server/people/requests';
import type { RequestHandler } from './$types';

const settleSchema = v.object({
	settle: v.pipe(v.string(), v.uuid()),
	choice: v.picklist(['theirs', 'mine'])
});

/** Takes over what was done on a phone, or settles a conflict. */
export const POST: RequestHandler = async (event) => {
	demand(event.locals, 'bind');
	const body: unknown = await event.request.json().catch(() => null);
	const actor = { ...actorOf(event), personId: event.locals.person!.id };
	const settling = v.safeParse(settleSchema, body);
	if (settling.success) {
		const act = await settle(settling.output.settle, settling.output.choice, actor);
		return json(act.ok ? { ok: true } : { ok: false, problem: act.problem }, { status: act.ok ? 200 : 409 });
	}
	const parsed = v.safeParse(syncSchema, body);
	if (!parsed.success) return json({ ok: false, problem: parsed.issues[0].message }, { status: 400 });
	const { entries, now } = parsed.output;
	return json({ ok: true, outcomes: await takeOver(entries, now, actor) });
};
