import * as v from 'valibot';
import type { Act } from '../act';
import { formAction } from '../forms';
import type { Actor } from '../ledger';
import { letAsk, turnAway } from './callers';

/** Form actions about who waits at the door, the same on every page that shows it. */
const MISSING = 'No caller was named.';
const schema = v.object({ caller: v.pipe(v.string(MISSING), v.regex(/^\d{1,18}$/, MISSING)) });

const about = (act: (id: string, actor: Actor) => Promise<Act>, said: string) =>
	formAction(schema, { act: ({ caller }, actor) => act(caller, actor), said });

export const awayAction = about(turnAway, 'Turned away. It is not shown any more, however often it calls.');
export const askAction = about(letAsk, 'It is shown again when it calls.');
