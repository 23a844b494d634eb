import { fail, type RequestEvent } from '@sveltejs/kit';
import * as v from 'valibot';
import type { Act } from '../act';
import { actorOf } from '../people';
import { letAsk, turnAway } from './callers';
import type { Actor } from '../ledger';

/** Form actions about who waits at the door, the same on every page that shows it. */
const schema = v.object({ caller: v.pipe(v.string(), v.regex(/^\d{1,18}$/)) });

const about =
	(act: (id: string, actor: Actor) => Promise<Act>, said: string) => async (event: RequestEvent) => {
		const parsed = v.safeParse(schema, Object.fromEntries(await event.request.formData()));
		if (!parsed.success) return fail(400, { problem: 'No caller was named.' });
		const done = await act(parsed.output.caller, actorOf(event));
		return done.ok ? { said } : fail(409, { problem: done.problem });
	};

export const awayAction = about(turnAway, 'Turned away. It is not shown any more, however often it calls.');
export const askAction = about(letAsk, 'It is shown again when it calls.');
