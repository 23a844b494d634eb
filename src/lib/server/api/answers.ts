import type { RequestEvent } from '@sveltejs/kit';
import * as v from 'valibot';
import type { PersonAct } from '../../../core/people';
import { actorOf } from '../people';
import { problem } from '../problem';
import { pageSchema } from './schemas';

export { problem };

export const answer = (body: unknown, status = 200): Response =>
	Response.json(body, { status, headers: { 'cache-control': 'no-store' } });

/** The problem of a program that may not do an act at all; null when it may for some customer. */
export const unlessMay = (event: RequestEvent, act: PersonAct): Response | null =>
	actorOf(event).may(act, null) ? null : problem(403, `This service token may not ${act}.`);

/** The body of a request, or the problem with it. */
export async function readBody<Schema extends v.GenericSchema>(
	{ request }: RequestEvent,
	schema: Schema
): Promise<{ ok: true; body: v.InferOutput<Schema>; text: string } | { ok: false; response: Response }> {
	if (!/^application\/json\b/i.test(request.headers.get('content-type') ?? ''))
		return { ok: false, response: problem(415, 'Send application/json.') };
	const text = await request.text();
	let json: unknown;
	try {
		json = JSON.parse(text);
	} catch {
		return { ok: false, response: problem(400, 'The body is not JSON.') };
	}
	const parsed = v.safeParse(schema, json);
	if (parsed.success) return { ok: true, body: parsed.output, text };
	const [issue] = parsed.issues;
	return { ok: false, response: problem(400, `${v.getDotPath(issue) ?? 'body'}: ${issue.message}`) };
}

/** Which page of a list is asked for, or the problem with it. */
export function readPage({ url }: RequestEvent): { limit: number; after: string | null } | Response {
	const parsed = v.safeParse(pageSchema, Object.fromEntries(url.searchParams));
	return parsed.success
		? { limit: parsed.output.limit, after: parsed.output.after ?? null }
		: problem(400, `${v.getDotPath(parsed.issues[0]) ?? 'query'}: ${parsed.issues[0].message}`);
}

/** A page of a list that was read with one item more than asked for. */
export const page = <Item extends { readonly id: string }>(items: readonly Item[], limit: number): Response =>
	answer({ items: items.slice(0, limit), next: items.length > limit ? items[limit - 1]!.id : null });
