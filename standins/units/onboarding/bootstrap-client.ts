import { request as httpRequest, type IncomingMessage, type RequestOptions } from 'node:http';
import { request as httpsRequest } from 'node:https';
import { isIP } from 'node:net';
import * as v from 'valibot';
import {
	bootstrappingDataSchema,
	decodeConveyed,
	INPUT,
	OUTPUT,
	YANG_JSON,
	type ProgressType
} from '../../../src/core/bootstrap';

import type { Signer } from '../../../src/core/trust';
import { believe, type Believed, type Believes, type Given } from './trust';

/** RFC 8572 from the device's side, over HTTP with the address its own resolver found. */
export interface Server {
	/** As DHCP option 143 named it. */
	readonly uri: string;
	/** What the name resolved to. */
	readonly address: string;
	/** The certificate it must have, as PEM; null where any will do. */
	readonly trust: string | null;
	/** Its certificate is one that the unit was told of by whom it believes, or was made with. */
	readonly isTrusted: boolean;
	/** The address that the unit calls from; any of the machine's when it is left out. */
	readonly from?: string | undefined;
}
/** Who calls, what it shows of itself, and what it believes. */
export interface Caller {
	readonly serial: string;
	/** Said to servers that it trusts, and to no other. */
	readonly claimCode: string;
	/** Its device certificate and key, shown to every server; null for a maker that gives none. */
	readonly identity: Signer | null;
	/** Whom it believes; null for whoever the server is. */
	readonly believes: Believes | null;
	/** What somebody in between makes of an answer. */
	readonly meddle?: (given: Given, server: Server) => Promise<Given>;
}
export interface About {
	readonly model: string;
	readonly osName: string;
	readonly osVersion: string;
}

const PATIENCE_MS = 15_000;

/** Opens a request to the server's address under its name, over TLS where its address says so. */
function call(
	server: Server,
	identity: Signer | null,
	url: URL,
	options: RequestOptions,
	answered: (response: IncomingMessage) => void
) {
	const common = {
		host: server.address,
		path: url.pathname,
		timeout: PATIENCE_MS,
		...(server.from && { localAddress: server.from }),
		...options,
		headers: { host: url.host, ...options.headers }
	};
	const request =
		url.protocol === 'https:'
			? httpsRequest(
					{
						...common,
						port: url.port || 443,
						servername: isIP(url.hostname) ? '' : url.hostname,
						...(server.trust === null ? { rejectUnauthorized: false } : { ca: server.trust }),
						...(identity && { key: identity.key, cert: identity.chain.join('\n') })
					},
					answered
				)
			: httpRequest({ ...common, port: url.port || 80 }, answered);
	request.on('timeout', () => request.destroy(new Error('timed out')));
	return request;
}

function post(
	server: Server,
	caller: Caller,
	operation: string,
	input: object,
	signal: AbortSignal
): Promise<{ status: number; date: number | null; body: string }> {
	const url = new URL(`/restconf/operations/ietf-sztp-bootstrap-server:${operation}`, server.uri);
	const content = JSON.stringify({ [INPUT]: input });
	return new Promise((resolve, reject) => {
		const request = call(
			server,
			caller.identity,
			url,
			{
				method: 'POST',
				signal,
				headers: {
					...(server.isTrusted && {
						authorization: `Basic ${Buffer.from(`${caller.serial}:${caller.claimCode}`).toString('base64')}`
					}),
					'content-type': YANG_JSON,
					'content-length': Buffer.byteLength(content)
				}
			},
			(response) => {
				let body = '';
				response.setEncoding('utf8').on('data', (chunk: string) => (body += chunk));
				response.on('end', () =>
					resolve({
						status: response.statusCode ?? 0,
						date: Date.parse(response.headers.date ?? '') || null,
						body
					})
				);
				response.on('error', reject);
			}
		);
		request.on('error', reject);
		request.end(content);
	});
}

export type Answer =
	| ({ readonly kind: 'given' } & Omit<Extract<Believed, { ok: true }>, 'ok'>)
	| { readonly kind: 'nothing'; readonly status: number }
	| { readonly kind: 'unusable'; readonly problem: string };

/** Asks what to become. */
export async function getBootstrappingData(
	server: Server,
	caller: Caller,
	about: About,
	signal: AbortSignal
): Promise<Answer> {
	const { believes } = caller;
	const { status, body } = await post(
		server,
		caller,
		'get-bootstrapping-data',
		{
			'hw-model': about.model,
			'os-name': about.osName,
			'os-version': about.osVersion,
			...(believes && { 'signed-data-preferred': [null] }),
			...(believes?.nonce && { nonce: believes.nonce })
		},
		signal
	);
	if (status !== 200) return { kind: 'nothing', status };
	const parsed = v.safeParse(bootstrappingDataSchema, JSON.parse(body));
	if (!parsed.success) return { kind: 'unusable', problem: parsed.issues[0].message };
	const answered = parsed.output[OUTPUT];
	const given = caller.meddle ? await caller.meddle(answered, server) : answered;
	const believed: Believed = believes ? await believe(given, believes) : plain(given);
	if (!believed.ok) return { kind: 'unusable', problem: believed.problem };
	const { information, isSigned } = believed;
	return { kind: 'given', information, isSigned };
}

function plain(given: Given): Believed {
	const conveyed = decodeConveyed(given['conveyed-information']);
	return conveyed.ok ? { ...conveyed, isSigned: false } : conveyed;
}

/** Reports a step. Resolves with whether the server took it. */
export async function reportProgress(
	server: Server,
	caller: Caller,
	type: ProgressType,
	message: string,
	hostKey: { algorithm: string; data: string } | null,
	signal: AbortSignal
): Promise<boolean> {
	const { status } = await post(
		server,
		caller,
		'report-progress',
		{
			'progress-type': type,
			...(message && { message }),
			...(hostKey && {
				'ssh-host-keys': { 'ssh-host-key': [{ algorithm: hostKey.algorithm, 'key-data': hostKey.data }] }
			})
		},
		signal
	);
	return status === 204;
}

/** The server's clock, from any answer of its; a unit without a right clock could trust nothing it is told. */
export async function serverDate(server: Server, signal: AbortSignal): Promise<number | null> {
	const url = new URL('/.well-known/host-meta', server.uri);
	return new Promise((resolve, reject) => {
		const request = call(server, null, url, { signal }, (response) => {
			response.resume();
			response.on('end', () => resolve(Date.parse(response.headers.date ?? '') || null));
			// One that breaks off has no end
			response.on('error', reject);
		});
		request.on('error', reject);
		request.end();
	});
}
