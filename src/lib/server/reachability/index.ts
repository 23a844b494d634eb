import { onErrand } from '../connections';
import { onBeat } from '../jobs';
import { across } from './asking';
import { takeTurns } from './turns';

/** From now on places with tunnels are asked, in turns, whom they reach. */
export function startReachability(): void {
	onErrand('across', across);
	onBeat(takeTurns);
}
export { lookNow, lookSoon } from './turns';
export * from './store';
