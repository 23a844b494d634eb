import { appendFileSync } from 'node:fs';
import { join } from 'node:path';
import { stringify } from 'devalue';
import pg from 'pg';
import { v7 as uuid } from 'uuid';
import { newToken, tokenHash } from '../src/lib/server/people/coming-in/chance';

/**
 * The tests done by programs (`./limen test programs`): what a test sends as somebody's form is sent over the API first, by a
 * program that knows their token and the OpenAPI document alone, and its answer is told as the page would have been told it. What
 * the API refuses goes the form's own way, so that the test sees the page's question or problem. What was done either way is
 * noted, and compared in the end with all that the document describes.
 */
export const BY_PROGRAMS = process.env.LIMEN_TEST_BY === 'programs';
/** As whom records know what somebody of this name did in a form: here a program did it for them. */
export const inRecords = (name: string): string => (BY_PROGRAMS ? `${name} (A program)` : name);
/** Where it is noted, a line each: `described`, `program` or `form`, and the operation. */
export const NOTES = 'acts-done.txt';
type What = 'described' | 'program' | 'form';
const note = (what: What, operation: string): void =>
	appendFileSync(join(process.env.LIMEN_STATE_DIR!, NOTES), `${what} ${operation}\n`);

interface Operation {
	readonly operation: string;
	readonly path: string;
	readonly pattern: RegExp;
}
const ACTS = '/api/v1/acts';
const known = new Map<string, Promise<readonly Operation[]>>();
/** The acts that the document describes, what is written out before what is not. */
async function read(origin: string): Promise<readonly Operation[]> {
	const { paths } = (await (await fetch(`${origin}/api/v1/openapi.json`)).json()) as {
		paths: Record<string, { post?: { operationId: string } }>;
	};
	const acts = Object.entries(paths)
		.filter(([path]) => path.startsWith(`${ACTS}/`))
		.map(([path, { post }]) => ({
			operation: post!.operationId,
			path,
			pattern: new RegExp(`^${path.replace(/\{\w+\}/g, '[^/]+')}$`)
		}))
		.sort((one, other) => one.path.split('{').length - other.path.split('{').length);
	for (const { operation } of acts) note('described', operation);
	return acts;
}
function actsAt(origin: string): Promise<readonly Operation[]> {
	const all = known.get(origin) ?? read(origin);
	known.set(origin, all);
	return all;
}
const operationAt = async (origin: string, asked: string): Promise<Operation | undefined> =>
	(await actsAt(origin)).find(({ pattern }) => pattern.test(asked));

const tokens = new Map<string, Promise<string>>();
/** The token of a program of whoever has this session. */
function tokenOf(session: string): Promise<string> {
	const made = tokens.get(session) ?? makeToken(session);
	tokens.set(session, made);
	return made;
}
async function makeToken(session: string): Promise<string> {
	const token = `limen_me_${newToken()}`;
	const client = new pg.Client({ connectionString: process.env.LIMEN_DATABASE_URL });
	await client.connect();
	await client.query(
		`insert into personal_token (id, person_id, name, token_hash, interrupts, ends_at)
		select $1, person_id, 'A program', $2, true, now() + interval '1 day' from session where token_hash = $3`,
		[uuid(), tokenHash(token), tokenHash(session)]
	);
	await client.end();
	return token;
}

/** A form as JSON: what is given more than once is a list, a file its bytes. */
async function asJson(form: FormData | URLSearchParams): Promise<Record<string, unknown>> {
	const body: Record<string, unknown> = {};
	for (const name of new Set(form.keys())) {
		// What the library of the interface’s forms adds for itself
		if (name.startsWith('__superform')) continue;
		// What a browser sends of a field for files that has none
		const given = form.getAll(name).filter((value) => typeof value === 'string' || value.name !== '');
		const values = await Promise.all(
			given.map(async (value) => {
				if (typeof value === 'string') return value;
				const bytes = Buffer.from(await value.arrayBuffer());
				return { name: value.name, type: value.type, base64: bytes.toString('base64') };
			})
		);
		if (values.length > 0) body[name] = values.length > 1 ? values : values[0];
	}
	return body;
}

export interface Sent {
	/** The form's address, with its act: `/sites/…?/bind`; without one it is the page's only. */
	readonly url: URL;
	readonly session: string;
	readonly form: FormData | URLSearchParams;
}
/** What a page is told of an act that the API did, or why it did not; null for what is not the API's. */
export async function overApi({
	url,
	session,
	form
}: Sent): Promise<{ readonly done: object } | { readonly refused: Record<string, unknown> } | null> {
	const { origin, asked, query } = addressOf(url);
	const act = await operationAt(origin, asked);
	if (!act) return null;
	const customer = new URLSearchParams(query).get('customer');
	const answered = await fetch(`${origin}${asked}${query}`, {
		method: 'POST',
		headers: {
			authorization: `Bearer ${await tokenOf(session)}`,
			'content-type': 'application/json',
			...(customer && { 'limen-customer': customer })
		},
		body: JSON.stringify(await asJson(form))
	});
	const isJson = /\bjson\b/.test(answered.headers.get('content-type') ?? '');
	const told = isJson ? ((await answered.json()) as Record<string, unknown>) : {};
	if (!answered.ok) return { refused: told };
	note('program', act.operation);
	// A document is not told to a page: the form gets it as well
	if (!isJson) return null;
	const done =
		typeof told.goes === 'string' && Object.keys(told).length === 1
			? { type: 'redirect', status: 303, location: told.goes }
			: { type: 'success', status: 200, data: stringify(told) };
	return { done };
}
/** What a page is told of an act that the API did; null where it did not. */
export async function doneByProgram(sent: Sent): Promise<object | null> {
	const answered = await overApi(sent);
	return answered && 'done' in answered ? answered.done : null;
}
/** The operation of a form, by its route: `POST /sites/[id=uuid]?/bind`. */
export const operationOf = (route: string): string =>
	[
		'act',
		...route
			.replace(/^POST |\?/g, '')
			.replace(/\[(?:\.\.\.)?(\w+)[^\]]*\]/g, '$1')
			.split('/')
	]
		.filter(Boolean)
		.join('.');
/** The acts that the document describes, by their operations. */
export const describedActs = async (origin: string): Promise<readonly string[]> =>
	(await actsAt(origin)).map(({ operation }) => operation);
/** Notes what a form did that the API had refused. */
export async function noteForm(url: URL, answer: { readonly type?: string }): Promise<void> {
	const { origin, asked } = addressOf(url);
	const act = await operationAt(origin, asked);
	if (act && (answer.type === 'success' || answer.type === 'redirect')) note('form', act.operation);
}
function addressOf({ origin, pathname, search }: URL): {
	origin: string;
	asked: string;
	query: string;
} {
	const parts = search.slice(1).split('&').filter(Boolean);
	const name = parts.find((part) => part.startsWith('/')) ?? '/default';
	const rest = parts.filter((part) => part !== name);
	const asked = `${ACTS}${pathname === '/' ? '' : pathname}${name}`;
	return { origin, asked, query: rest.length > 0 ? `?${rest.join('&')}` : '' };
}
