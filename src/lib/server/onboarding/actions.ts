import { fail, type RequestEvent } from '@sveltejs/kit';
import * as v from 'valibot';
import type { Act } from '../act';
import type { Actor } from '../ledger';
import { actorOf } from '../people';
import { proveConnected } from './call-home';

/** Form actions about a position's run, the same on every page that offers them. */
const positionSchema = v.object({ position: v.pipe(v.string(), v.uuid()) });
const pairSchema = v.object({
	...positionSchema.entries,
	unit: v.pipe(v.string(), v.uuid('Choose a unit first.'))
});

async function form<Schema extends v.GenericSchema>(event: RequestEvent, schema: Schema) {
	return v.safeParse(schema, Object.fromEntries(await event.request.formData()));
}

export const bindAction =
	(bind: (position: string, unit: string, actor: Actor) => Promise<Act<unknown>>) =>
	async (event: RequestEvent) => {
		const parsed = await form(event, pairSchema);
		if (!parsed.success) return fail(400, { problem: parsed.issues[0].message });
		const act = await bind(parsed.output.position, parsed.output.unit, actorOf(event));
		return act.ok
			? { said: 'Bound. The unit is expected to call once it has power.' }
			: fail(409, { problem: act.problem });
	};

export const unbindAction =
	(unbind: (position: string, actor: Actor) => Promise<Act>) => async (event: RequestEvent) => {
		const parsed = await form(event, positionSchema);
		if (!parsed.success) return fail(400, { problem: 'No position was named.' });
		const act = await unbind(parsed.output.position, actorOf(event));
		return act.ok ? { said: 'Unbound. The position is open again.' } : fail(409, { problem: act.problem });
	};

/** A unit that is connected at this moment is proved again at once; any other when it next calls. */
export const retryAction =
	(retry: (position: string, actor: Actor) => Promise<Act<{ unitId: string }>>) =>
	async (event: RequestEvent) => {
		const parsed = await form(event, positionSchema);
		if (!parsed.success) return fail(400, { problem: 'No position was named.' });
		const act = await retry(parsed.output.position, actorOf(event));
		if (!act.ok) return fail(409, { problem: act.problem });
		void proveConnected(act.done.unitId);
		return { said: 'It may try again; its next call goes on from where it was.' };
	};
