import { fail, type RequestEvent } from '@sveltejs/kit';
import * as v from 'valibot';
import type { Act } from '../act';
import type { Actor } from '../ledger';
import { actorOf } from '../people';
import { askAgain, reasonIn } from '../people/requests';
import { arrivalAt } from './arrivals';
import { proveSoon } from './call-home';
import { warningsOf } from './pairing';

/** Form actions about a position's run, the same on every page that offers them. */
const positionSchema = v.object({ position: v.pipe(v.string(), v.uuid()) });
const pairSchema = v.object({
	...positionSchema.entries,
	unit: v.pipe(v.string(), v.uuid('Choose a unit first.'))
});

const fieldsOf = async (event: RequestEvent) => Object.fromEntries(await event.request.formData());
const form = async <Schema extends v.GenericSchema>(event: RequestEvent, schema: Schema) =>
	v.safeParse(schema, await fieldsOf(event));

export const bindAction =
	(bind: (position: string, unit: string, actor: Actor) => Promise<Act<unknown>>) =>
	async (event: RequestEvent) => {
		const fields = await fieldsOf(event);
		const parsed = v.safeParse(pairSchema, fields);
		if (!parsed.success) return fail(400, { problem: parsed.issues[0].message });
		const { position, unit } = parsed.output;
		const act = await bind(position, unit, { ...actorOf(event), reason: reasonIn(fields) });
		if (!act.ok) return fail(409, { problem: act.problem, wantsReason: act.wantsReason === true });
		return {
			said: 'Bound. The unit is expected to call once it has power.',
			warnings: await warningsOf({ unitId: unit, positionId: position }),
			undo: position
		};
	};

export const unbindAction =
	(unbind: (position: string, actor: Actor) => Promise<Act>) => async (event: RequestEvent) => {
		const fields = await fieldsOf(event);
		const parsed = v.safeParse(positionSchema, fields);
		if (!parsed.success) return fail(400, { problem: 'No position was named.' });
		const arrival = await arrivalAt(parsed.output.position);
		// A unit that has not been heard yet interrupts nobody
		const asked =
			arrival && arrival.heardAt !== null && actorOf(event).may('unbind', arrival.customerId)
				? await askAgain(event, fields, {
						words: `Unit ${arrival.serial} has begun to onboard or is in use at ${arrival.positionName}. Unbound, it is managed no more and ${arrival.positionName} waits for another unit.`,
						sites: [arrival.siteName],
						wantsReason: true
					})
				: null;
		if (asked) return asked;
		const act = await unbind(parsed.output.position, { ...actorOf(event), reason: reasonIn(fields) });
		return act.ok ? { said: 'Unbound. The position is open again.' } : fail(409, { problem: act.problem });
	};

/** Asks why and who it is before the unit at a position is replaced. */
export const swapAction =
	(swap: (position: string, unit: string, actor: Actor) => Promise<Act<unknown>>) =>
	async (event: RequestEvent) => {
		const fields = await fieldsOf(event);
		const parsed = v.safeParse(pairSchema, fields);
		if (!parsed.success) return fail(400, { problem: parsed.issues[0].message });
		const { position, unit } = parsed.output;
		const arrival = await arrivalAt(position);
		const asked =
			arrival && actorOf(event).may('unbind', arrival.customerId)
				? await askAgain(event, fields, {
						words: `${arrival.positionName} waits for the other unit; ${arrival.serial} is unbound, and what it called home with opens nothing any more.`,
						sites: [arrival.siteName],
						wantsReason: true
					})
				: null;
		if (asked) return asked;
		const act = await swap(position, unit, { ...actorOf(event), reason: reasonIn(fields) });
		return act.ok
			? { said: 'Swapped. The new unit is expected to call once it has power.' }
			: fail(409, { problem: act.problem });
	};

/** A unit that is connected at this moment is proved again at once; any other when it next calls. */
export const retryAction =
	(retry: (position: string, actor: Actor) => Promise<Act<{ unitId: string; again: boolean }>>) =>
	async (event: RequestEvent) => {
		const parsed = await form(event, positionSchema);
		if (!parsed.success) return fail(400, { problem: 'No position was named.' });
		const act = await retry(parsed.output.position, actorOf(event));
		if (!act.ok) return fail(409, { problem: act.problem });
		if (act.done.again)
			return {
				said: 'It may begin anew: its next call is answered. If it was not set back, it comes through as it is when it next dials home.'
			};
		proveSoon(act.done.unitId);
		return { said: 'It may try again; its next call goes on from where it was.' };
	};

const revealSchema = v.object({ ...positionSchema.entries, name: v.pipe(v.string(), v.maxLength(100)) });

/** Shows one secret, after asking again who it is. */
export const revealAction =
	(reveal: (position: string, name: string, actor: Actor) => Promise<Act<{ name: string; value: string }>>) =>
	async (event: RequestEvent) => {
		const fields = await fieldsOf(event);
		const parsed = v.safeParse(revealSchema, fields);
		if (!parsed.success) return fail(400, { problem: 'No secret was named.' });
		const { position, name } = parsed.output;
		if (!actorOf(event).may('reveal secret', null))
			return fail(403, { problem: 'Secrets are revealed by engineers.' });
		const asked = await askAgain(event, fields, {
			words: `${name} will be shown on this screen, and the ledger will say that you looked.`,
			sites: [],
			wantsReason: true
		});
		if (asked) return asked;
		const act = await reveal(position, name, { ...actorOf(event), reason: reasonIn(fields) });
		return act.ok ? { revealed: act.done } : fail(403, { problem: act.problem });
	};
