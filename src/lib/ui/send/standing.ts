import { sendHasEnded, type Send } from '$core/send';
import type { Shown } from '../marks';

/** The shape that says how a send stands. */
export function standingOfSend({ state }: Send): Shown {
	if (state === 'confirmed') return 'online';
	if (state === 'waiting') return 'waiting';
	return sendHasEnded(state) ? 'stuck' : 'moving';
}
