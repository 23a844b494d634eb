import { counted } from '$core/text';
import { answer, once, problem, type Done } from '$lib/server/api';
import { doAct } from '../../interface';
import type { RequestHandler } from './$types';

const NOT_KEPT = 'A form is not worked twice by its Idempotency-Key: send JSON.';

const MOST_SAID = 20;
/** What was done for a request whose answer was lost. */
const saidOf = (done: readonly Done[]): string =>
	[
		...done.slice(0, MOST_SAID).map(({ words }) => words),
		...(done.length > MOST_SAID ? [`And ${counted(done.length - MOST_SAID, 'act')} more.`] : [])
	].join(' ');

/** Does an act of a page as the person whose token it is. */
export const POST: RequestHandler = async (event) => {
	const type = event.request.headers.get('content-type') ?? '';
	if (/^(multipart\/form-data|application\/x-www-form-urlencoded)\b/i.test(type))
		return event.request.headers.has('idempotency-key') ? problem(400, NOT_KEPT) : doAct(event, null);
	if (!/^application\/json\b/i.test(type)) return problem(415, 'Send application/json.');
	const text = await event.request.text();
	let body: unknown;
	try {
		body = JSON.parse(text === '' ? '{}' : text);
	} catch {
		return problem(400, 'The body is not JSON.');
	}
	if (typeof body !== 'object' || body === null || Array.isArray(body))
		return problem(400, 'The body is an object, with the fields of the form.');
	if (!event.locals.person) return doAct(event, {});
	return once(
		event,
		text,
		() => doAct(event, body as Record<string, unknown>),
		(done) => answer({ said: saidOf(done) })
	);
};
