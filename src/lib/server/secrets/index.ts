import { takeTurns, type Turns } from '../jobs';
import { goOnWithRotations } from './go-on';
import { startProvingSecrets } from './prove';

export { goOnWithRotations } from './go-on';
export { renewCallHomeKey, callHomeKeyStanding, type CallHomeKeyStanding } from './key';
export { givenWords, rotateAt } from './rotate';
export { secretRows } from './rows';
export { dropRule, droppedRuleSchema, ruleSchema, rulesOf, saveRule, type SecretRule } from './rules';
export { heldSecrets, holdersOf, MOST_SECRETS, secrets, type HeldSecret, type ShownSecret } from './store';

let turns: Turns | undefined;

/** From now on secrets that are renewed are gone on with until they are proved. */
export function startSecrets(): void {
	startProvingSecrets();
	turns = takeTurns('renewed secrets', 'sends', goOnWithRotations);
}
export const stopSecrets = async (): Promise<void> => turns?.stop();
