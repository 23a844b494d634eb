import type { Turns } from '../jobs';
import { startTelling } from './deliver';

export * from './hooks';
export { deliveries, DELIVERIES_AT_ONCE, DELIVERY_STATES, type Delivery } from './log';

let turns: Turns | undefined;
/** From now on programs are told what happens. */
export function startWebhooks(): void {
	turns = startTelling();
}
/** Resolves when nothing is under way any more. */
export async function stopWebhooks(): Promise<void> {
	await turns?.stop();
	turns = undefined;
}
