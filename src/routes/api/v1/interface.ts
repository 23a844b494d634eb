import {
	isActionFailure,
	isHttpError,
	isRedirect,
	type ActionFailure,
	type RequestEvent
} from '@sveltejs/kit';
import { match as isUuid } from '../../../params/uuid';
import {
	answer,
	CUSTOMER_HEADER,
	documentFields,
	fieldsTaken,
	problem,
	type InterfaceAct,
	type InterfacePage
} from '$lib/server/api';
import type { DescribedAction } from '$lib/server/forms';
import { gateOf } from '$lib/server/people';

/**
 * The interface that people have, for programs that act as one of them: what each page shows as JSON, and each act of each
 * page with the form that it has there, by the same code, rights and words. Nothing of it is written again for programs, so
 * nothing can be missing.
 */
type Action = ((event: RequestEvent) => Promise<unknown>) & Partial<DescribedAction>;
interface PageModule {
	readonly load?: (event: never) => unknown;
	readonly actions?: Readonly<Record<string, Action>>;
}
interface EndpointModule {
	readonly GET?: (event: RequestEvent) => Promise<Response> | Response;
}
const PAGES = import.meta.glob<PageModule>('/src/routes/**/+page.server.ts');
const ENDPOINTS = import.meta.glob<EndpointModule>('/src/routes/**/+server.ts');

/** What is about coming in belongs to people themselves; what is told of changes as they come is for pages that are open. */
const OWN = /^\/(account|sign-in|sign-out|components|start|live|arrivals\/stream)(\/|$)/;

interface Found<Module> {
	readonly route: Known<Module>;
	readonly params: Record<string, string>;
	/** How much of it is written out. */
	readonly written: number;
}
interface Known<Module> {
	readonly id: string;
	readonly segments: readonly string[];
	readonly read: () => Promise<Module>;
}
const knownOf = <Module>(
	modules: Record<string, () => Promise<Module>>,
	file: string
): readonly Known<Module>[] =>
	Object.entries(modules)
		.map(([path, read]) => ({ id: path.slice('/src/routes'.length, -file.length - 1) || '/', read }))
		.filter(
			({ id }) =>
				gateOf({ route: { id }, url: new URL('http://limen.example') }) === 'people' && !OWN.test(id)
		)
		.map(({ id, read }) => ({ id, segments: id.split('/').filter(Boolean), read }));
const pages = knownOf(PAGES, '+page.server.ts');
const endpoints = knownOf(ENDPOINTS, '+server.ts');

const PARAMETER = /^\[(?:\.\.\.)?([a-z]+)(?:=uuid)?\]$/i;

/** The route that an address means, with its parameters, as the router finds it: what is written out goes before what is not. */
function routeOf<Module>(known: readonly Known<Module>[], path: readonly string[]): Found<Module> | null {
	let best: Found<Module> | null = null;
	for (const route of known) {
		if (route.segments.length !== path.length) continue;
		const params: Record<string, string> = {};
		const fits = route.segments.every((segment, at) => {
			const name = PARAMETER.exec(segment)?.[1];
			if (name === undefined) return segment === path[at];
			if (segment.endsWith('=uuid]') && !isUuid(path[at]!)) return false;
			params[name] = path[at]!;
			return true;
		});
		const written = route.segments.length - Object.keys(params).length;
		if (fits && (best === null || written > best.written)) best = { route, params, written };
	}
	return best;
}

const segmentsOf = ({ params }: RequestEvent): string[] => (params.path ?? '').split('/').filter(Boolean);
const NOT_HERE = 'There is nothing at this address. What there is stands in /api/v1/openapi.json.';
const NO_CUSTOMER = 'There is no such customer, or you see nothing of it.';
/** A program that names a customer is never taken to mean all of them. */
const isLost = ({ request, locals }: RequestEvent): boolean =>
	request.headers.has(CUSTOMER_HEADER) && locals.customerId === null;
const NEEDS_PERSON = 'This needs a personal token: a program acts there as the person who made it.';

/** The same request, as the page's own. */
function within(
	event: RequestEvent,
	route: string,
	params: Record<string, string>,
	request: Request
): RequestEvent {
	const url = new URL(`/${segmentsOf(event).join('/')}`, event.url);
	url.search = event.url.search;
	return {
		...event,
		url,
		params,
		request,
		route: { id: route },
		setHeaders: () => undefined,
		...{ depends: () => undefined, parent: async () => ({}), untrack: <Value>(read: () => Value) => read() }
	} as RequestEvent;
}

/** What a page shows, as JSON; or a file that the interface offers, as it is. */
export async function showPage(event: RequestEvent): Promise<Response> {
	if (!event.locals.person) return problem(403, NEEDS_PERSON);
	if (isLost(event)) return problem(404, NO_CUSTOMER);
	const path = segmentsOf(event);
	return inWords(async () => {
		const [page, file] = [routeOf(pages, path), routeOf(endpoints, path)];
		if (page && page.written >= (file?.written ?? 0)) {
			const { load } = await page.route.read();
			if (!load) return answer({});
			const shown = await load(within(event, page.route.id, page.params, event.request) as never);
			return new Response(JSON.stringify(await settled(shown), plain), { headers: JSON_HEADERS });
		}
		const read = file && (await file.route.read()).GET;
		return read
			? await read(within(event, file.route.id, file.params, event.request))
			: problem(404, NOT_HERE);
	});
}
const JSON_HEADERS = { 'content-type': 'application/json', 'cache-control': 'no-store' };

/** What is still to come when a page is shown is waited for. */
const settled = async (shown: unknown): Promise<unknown> =>
	Object.fromEntries(
		await Promise.all(Object.entries(shown ?? {}).map(async ([name, value]) => [name, await value] as const))
	);

/** Values as JSON has them; dates are written by themselves. */
function plain(_name: string, value: unknown): unknown {
	if (value instanceof Map) return Object.fromEntries(value);
	if (value instanceof Set) return [...value];
	if (typeof value === 'bigint') return String(value);
	return value;
}

/** Does an act of a page, with its form as JSON or as a form. */
export async function doAct(
	event: RequestEvent,
	body: Readonly<Record<string, unknown>> | null
): Promise<Response> {
	if (!event.locals.person) return problem(403, NEEDS_PERSON);
	if (isLost(event)) return problem(404, NO_CUSTOMER);
	const path = segmentsOf(event);
	const name = path.pop() ?? '';
	const page = routeOf(pages, path);
	if (!page) return problem(404, NOT_HERE);
	const { actions = {} } = await page.route.read();
	const action = Object.hasOwn(actions, name) ? actions[name] : undefined;
	if (!action) return problem(404, NOT_HERE);
	const form = body
		? formOf(body, documentFields(action.schema ?? null))
		: await event.request.formData().catch(() => null);
	if (!form) return problem(400, 'The body is no form of the type that it names.');
	const taken = fieldsTaken(action.schema ?? null);
	const unknown = [...form.keys()].find((field) => taken && !taken.has(field));
	if (taken && unknown !== undefined) return notTaken(unknown, [...taken]);
	const request = new Request(event.url, {
		method: 'POST',
		headers: { 'x-sveltekit-action': 'true', 'user-agent': event.request.headers.get('user-agent') ?? '' },
		body: form
	});
	event = { ...event, params: { ...event.params, path: path.join('/') } } as RequestEvent;
	return inWords(async () => {
		const outcome = await action(within(event, page.route.id, page.params, request));
		return isActionFailure(outcome)
			? refused(outcome)
			: new Response(JSON.stringify(outcome ?? {}, plain), { headers: JSON_HEADERS });
	});
}

/** A name that is written wrong must not pass for a field that was left out. */
const notTaken = (unknown: string, taken: readonly string[]): Response =>
	problem(400, `This act has no field “${unknown.slice(0, 80)}”. Its fields: ${taken.join(', ')}.`);

/** A refusal as a problem (RFC 9457), with what is wrong field by field, or what has to be said first. */
async function refused({ status, data }: ActionFailure): Promise<Response> {
	const { problem: words, problems, confirm, wantsReason } = (data ?? {}) as Record<string, unknown>;
	const asked = confirm as
		{ words: string; sites: readonly string[]; wantsPassword: boolean; wantsReason?: boolean } | undefined;
	const detail = asked
		? `${asked.words} ${asked.wantsPassword ? 'This token may not do what interrupts or exposes a network.' : 'Say why in “reason”, and “on” in “asked” where somebody had to be asked.'}`
		: String(words ?? 'It was refused.');
	const told = await problem(status, detail).json();
	return Response.json(
		{
			...told,
			...(problems !== undefined && { fields: problems }),
			...((wantsReason || asked?.wantsReason) && { wantsReason: true }),
			...(asked && { interrupts: asked.sites })
		},
		{ status, headers: { 'content-type': 'application/problem+json', 'cache-control': 'no-store' } }
	);
}

/** What a page throws becomes what a program reads. */
async function inWords(work: () => Promise<Response>): Promise<Response> {
	try {
		return await work();
	} catch (error) {
		if (isRedirect(error)) return answer({ goes: error.location });
		if (isHttpError(error)) return problem(error.status, error.body.message);
		throw error;
	}
}

interface GivenFile {
	readonly name: string;
	readonly base64: string;
	readonly type?: string;
}
const isFile = (value: unknown): value is GivenFile =>
	typeof value === 'object' && value !== null && 'base64' in value && typeof value.base64 === 'string';

/**
 * JSON as the form that a browser would send: lists are given more than once, true is “on”, what is null is left out. What a
 * field of `documents` holds is one text, whatever it is.
 */
function formOf(body: Readonly<Record<string, unknown>>, documents: ReadonlySet<string>): FormData {
	const form = new FormData();
	const put = (name: string, value: unknown): void => {
		if (value === null || value === undefined || value === false) return;
		if (Array.isArray(value)) for (const one of value) put(name, one);
		else if (isFile(value))
			form.append(
				name,
				new File([Buffer.from(value.base64, 'base64')], value.name ?? 'file', { type: value.type ?? '' })
			);
		else
			form.append(
				name,
				value === true ? 'on' : typeof value === 'object' ? JSON.stringify(value) : String(value)
			);
	};
	for (const [name, value] of Object.entries(body))
		put(name, documents.has(name) && typeof value === 'object' && value ? JSON.stringify(value) : value);
	return form;
}

const openPath = (id: string): string => id.replaceAll(/\[(?:\.\.\.)?([a-z]+)(?:=uuid)?\]/gi, '{$1}');
const parametersOf = ({ segments }: Known<unknown>) =>
	segments.flatMap((segment) => {
		const name = PARAMETER.exec(segment)?.[1];
		return name === undefined ? [] : [{ name, isId: segment.endsWith('=uuid]') }];
	});

/** All that programs can look at and do here, for the description of the interface. */
export async function describedInterface(): Promise<{
	readonly acts: readonly InterfaceAct[];
	readonly pages: readonly InterfacePage[];
}> {
	const acts: InterfaceAct[] = [];
	for (const page of pages) {
		const { actions = {} } = await page.read();
		for (const [name, { schema, asks = false }] of Object.entries(actions))
			acts.push({
				path: openPath(page.id),
				parameters: parametersOf(page),
				name,
				schema: schema ?? null,
				asks
			});
	}
	const shown: InterfacePage[] = [];
	for (const [known, isFile] of [
		[pages, false],
		[endpoints, true]
	] as const)
		for (const one of known) {
			const module = (await one.read()) as PageModule & EndpointModule;
			if (isFile ? module.GET : module.load)
				shown.push({ path: openPath(one.id), parameters: parametersOf(one), isFile });
		}
	return { acts, pages: shown };
}
