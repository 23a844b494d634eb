import { request as httpRequest, type IncomingMessage, type RequestOptions } from 'node:http';
import { request as httpsRequest } from 'node:https';
import * as v from 'valibot';
import {
	bootstrappingDataSchema,
	decodeConveyed,
	INPUT,
	OUTPUT,
	YANG_JSON,
	type ConveyedInformation,
	type ProgressType
} from '../../src/core/bootstrap';

/** RFC 8572 from the device's side, over HTTP with the address its own resolver found. */
export interface Server {
	/** As DHCP option 143 named it. */
	readonly uri: string;
	/** What the name resolved to. */
	readonly address: string;
	/** The certificate it must have, as PEM, when it is called over TLS. */
	readonly trust: string | null;
	/** The address that the unit calls from; any of the machine's when it is left out. */
	readonly from?: string | undefined;
}
export interface Login {
	readonly serial: string;
	readonly claimCode: string;
}

const PATIENCE_MS = 15_000;

/** Opens a request to the server's address under its name, over TLS where its address says so. */
function call(
	server: Server,
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
						servername: url.hostname,
						...(server.trust !== null && { ca: server.trust })
					},
					answered
				)
			: httpRequest({ ...common, port: url.port || 80 }, answered);
	request.on('timeout', () => request.destroy(new Error('timed out')));
	return request;
}

function post(
	server: Server,
	login: Login,
	operation: string,
	input: object,
	signal: AbortSignal
): Promise<{ status: number; date: number | null; body: string }> {
	const url = new URL(`/restconf/operations/ietf-sztp-bootstrap-server:${operation}`, server.uri);
	const content = JSON.stringify({ [INPUT]: input });
	return new Promise((resolve, reject) => {
		const request = call(
			server,
			url,
			{
				method: 'POST',
				signal,
				headers: {
					authorization: `Basic ${Buffer.from(`${login.serial}:${login.claimCode}`).toString('base64')}`,
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
	| { readonly kind: 'given'; readonly information: ConveyedInformation }
	| { readonly kind: 'nothing'; readonly status: number }
	| { readonly kind: 'unusable'; readonly problem: string };

/** Asks what to become. */
export async function getBootstrappingData(
	server: Server,
	login: Login,
	about: { model: string; osName: string; osVersion: string },
	signal: AbortSignal
): Promise<Answer> {
	const { status, body } = await post(
		server, login, 'get-bootstrapping-data',
		{ 'hw-model': about.model, 'os-name': about.osName, 'os-version': about.osVersion }, signal
	); // prettier-ignore
	if (status !== 200) return { kind: 'nothing', status };
	const parsed = v.safeParse(bootstrappingDataSchema, JSON.parse(body));
	if (!parsed.success) return { kind: 'unusable', problem: parsed.issues[0].message };
	const conveyed = decodeConveyed(parsed.output[OUTPUT]['conveyed-information']);
	return conveyed.ok
		? { kind: 'given', information: conveyed.information }
		: { kind: 'unusable', problem: conveyed.problem };
}

/** Reports a step. Resolves with whether the server took it. */
export async function reportProgress(
	server: Server,
	login: Login,
	type: ProgressType,
	message: string,
	hostKey: { algorithm: string; data: string } | null,
	signal: AbortSignal
): Promise<boolean> {
	const { status } = await post(
		server,
		login,
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
		const request = call(server, url, { signal }, (response) => {
			response.resume();
			response.on('end', () => resolve(Date.parse(response.headers.date ?? '') || null));
		});
		request.on('error', reject);
		request.end();
	});
}
