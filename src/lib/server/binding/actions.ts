import * as v from 'valibot';
import type { Act } from '../act';
import { formAction, oneId } from '../forms';
import type { Actor } from '../ledger';
import { arrivalAt } from '../runs';
import { warningsOf } from './pairing';

/** Form actions about a position's run, the same on every page that offers them. */
const positionSchema = v.object({ position: oneId('No position was named.') });
const pairSchema = v.object({ ...positionSchema.entries, unit: oneId('Choose a unit first.') });

export const bindAction = (bind: (position: string, unit: string, actor: Actor) => Promise<Act<unknown>>) =>
	formAction(pairSchema, {
		act: ({ position, unit }, actor) => bind(position, unit, actor),
		said: async (_, { position, unit }) => ({
			said: 'Bound. The unit is expected to call once it has power.',
			warnings: await warningsOf({ unitId: unit, positionId: position }),
			undo: position
		})
	});

export const unbindAction = (unbind: (position: string, actor: Actor) => Promise<Act>) =>
	formAction(positionSchema, {
		ask: async ({ position }, actor) => {
			const arrival = await arrivalAt(position);
			// A unit that has not been heard yet interrupts nobody
			if (!arrival || arrival.heardAt === null || !actor.may('unbind', arrival.customerId)) return null;
			return {
				words: `Unit ${arrival.serial} has begun to onboard or is in use at ${arrival.positionName}. Unbound, it is no longer managed and ${arrival.positionName} waits for another unit.`,
				sites: [arrival.siteName],
				wantsReason: true
			};
		},
		act: ({ position }, actor) => unbind(position, actor),
		said: 'Unbound. The position is open again.'
	});

/** Asks why and who it is before the unit at a position is replaced. */
export const swapAction = (swap: (position: string, unit: string, actor: Actor) => Promise<Act<unknown>>) =>
	formAction(pairSchema, {
		ask: async ({ position }, actor) => {
			const arrival = await arrivalAt(position);
			if (!arrival || !actor.may('unbind', arrival.customerId)) return null;
			return {
				words: `${arrival.positionName} waits for the other unit; ${arrival.serial} is unbound, and what it called home with opens nothing any more.`,
				sites: [arrival.siteName],
				wantsReason: true
			};
		},
		act: ({ position, unit }, actor) => swap(position, unit, actor),
		said: 'Swapped. The new unit is expected to call once it has power.'
	});

/** A unit that is connected at this moment is proved again at once; any other when it next calls. */
export const retryAction = (retry: (position: string, actor: Actor) => Promise<Act<{ again: boolean }>>) =>
	formAction(positionSchema, {
		act: ({ position }, actor) => retry(position, actor),
		said: ({ again }) =>
			again
				? 'It may start over: its next call is answered. If it was not set back, it comes through as it is when it next dials home.'
				: 'It may try again; its next call goes on from where it was.'
	});

const revealSchema = v.object({
	...positionSchema.entries,
	name: v.pipe(v.string('No secret was named.'), v.maxLength(100, 'There is no such secret.'))
});

/** Shows one secret, after asking again who it is. */
export const revealAction = (
	reveal: (position: string, name: string, actor: Actor) => Promise<Act<{ name: string; value: string }>>
) =>
	formAction(revealSchema, {
		ask: ({ name }, actor) =>
			actor.may('reveal secret', null)
				? {
						words: `${name} will be shown on this screen, and the ledger will say that you looked.`,
						sites: [],
						wantsReason: true
					}
				: null,
		act: ({ position, name }, actor) => reveal(position, name, actor),
		said: (revealed) => ({ revealed })
	});
