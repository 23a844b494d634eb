import { parseXml, printXml, type XmlElement } from '../xml';

/** NETCONF's messages (RFC 6241), as the client writes and reads them. */
export const BASE = 'urn:ietf:params:xml:ns:netconf:base:1.0';
const CAPABILITY = 'urn:ietf:params:netconf:base:';

/** What the client says first: both framings. */
export const hello = (): string =>
	`<?xml version="1.0" encoding="UTF-8"?>\n<hello xmlns="${BASE}"><capabilities>${['1.0', '1.1']
		.map((version) => `<capability>${CAPABILITY}${version}</capability>`)
		.join('')}</capabilities></hello>`;

export type HelloReading =
	| { readonly ok: true; readonly capabilities: readonly string[]; readonly isChunked: boolean }
	| { readonly ok: false; readonly problem: string };

/** What the device said first. Rejects what is no hello, and a device that knows neither framing. */
export function readHello(message: string): HelloReading {
	const reading = parseXml(message);
	if (!reading.ok) return { ok: false, problem: `Its hello is no XML: ${reading.message}` };
	const [root] = reading.elements;
	if (!root || root.name !== 'hello' || root.namespace !== BASE)
		return { ok: false, problem: 'It did not begin with a hello.' };
	const capabilities = root.children
		.filter(({ name }) => name === 'capabilities')
		.flatMap(({ children }) => children.map(({ text }) => text));
	if (!root.children.some(({ name }) => name === 'session-id'))
		return { ok: false, problem: 'Its hello names no session.' };
	const isChunked = capabilities.includes(`${CAPABILITY}1.1`);
	return isChunked || capabilities.includes(`${CAPABILITY}1.0`)
		? { ok: true, capabilities, isChunked }
		: { ok: false, problem: 'It names no version of NETCONF that Limen knows.' };
}

/** An operation with its number. `body`: the operation as XML, in NETCONF's own namespace where it names none. */
export const rpc = (id: number, body: string): string =>
	`<?xml version="1.0" encoding="UTF-8"?>\n<rpc message-id="${id}" xmlns="${BASE}">${body}</rpc>`;

export interface RpcError {
	readonly tag: string;
	readonly severity: string;
	readonly message: string;
	readonly path: string;
}
export type ReplyReading =
	| { readonly kind: 'ok' }
	/** What is inside of `data`, printed. */
	| { readonly kind: 'data'; readonly text: string; readonly elements: readonly XmlElement[] }
	| { readonly kind: 'error'; readonly errors: readonly RpcError[] }
	| { readonly kind: 'unreadable'; readonly problem: string };

const MOST_ERRORS = 20;

/** The answer to the operation with this number. A warning alone is no error (RFC 6241 section 4.3). */
export function readReply(message: string, id: number): ReplyReading {
	const reading = parseXml(message);
	if (!reading.ok)
		return { kind: 'unreadable', problem: `Its answer is no XML: line ${reading.line}: ${reading.message}` };
	const [root] = reading.elements;
	if (!root || root.name !== 'rpc-reply' || root.namespace !== BASE)
		return { kind: 'unreadable', problem: `It answered with “${root?.name ?? 'nothing'}”.` };
	const given = root.attributes.find(({ name }) => name === 'message-id')?.value;
	if (given !== String(id))
		return { kind: 'unreadable', problem: `It answered number ${given ?? 'none'} when asked number ${id}.` };
	const errors = root.children.filter(({ name }) => name === 'rpc-error').map(errorOf);
	if (errors.some(({ severity }) => severity !== 'warning'))
		return { kind: 'error', errors: errors.slice(0, MOST_ERRORS) };
	const data = root.children.find(({ name }) => name === 'data');
	if (data)
		return {
			kind: 'data',
			text: data.children.map((child) => printXml(child)).join(''),
			elements: data.children
		};
	return root.children.some(({ name }) => name === 'ok') || errors.length > 0
		? { kind: 'ok' }
		: { kind: 'unreadable', problem: 'Its answer says neither ok, nor data, nor what is wrong.' };
}

function errorOf({ children }: XmlElement): RpcError {
	const of = (wanted: string) => children.find(({ name }) => name === wanted)?.text ?? '';
	return {
		tag: of('error-tag'),
		severity: of('error-severity'),
		message: of('error-message'),
		path: of('error-path')
	};
}

/** What is wrong, in the device's own words. */
export const errorWords = (errors: readonly RpcError[]): string =>
	errors
		.map(
			({ tag, message, path }) =>
				`${tag || 'error'}${message ? `: ${message}` : ''}${path ? ` (at ${path})` : ''}`
		)
		.join('; ');
