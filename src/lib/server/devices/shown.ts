import { constants } from 'node:crypto';
import type { DetailedPeerCertificate, TLSSocket } from 'node:tls';
import { LRUCache } from 'lru-cache';
import * as v from 'valibot';

/**
 * The certificate that a device showed over TLS (IEEE 802.1AR), and what stands above it, as far as it was found. That the
 * device has its key, TLS has proved; whether it counts, `judge` says.
 */
const shownSchema = v.object({
	/** The subject's serialNumber; empty where it has none, or more than one. */
	subjectSerial: v.string(),
	/** Why OpenSSL does not take the chain; null when it does. */
	problem: v.nullable(v.string()),
	chain: v.array(v.object({ fingerprint: v.string(), issuer: v.string(), serial: v.string() }))
});
export type Shown = v.InferOutput<typeof shownSchema>;

const MOST_ABOVE = 10;

/** What stands above certificates, by their fingerprints: taking a chain apart takes longer than checking it. */
const taken = new LRUCache<string, Omit<Shown, 'problem'>>({ max: 5_000 });

/** What a device shows; null for none, and for one that cannot be taken apart: nothing of a stranger's may end the server. */
export function shownBy(socket: TLSSocket): Shown | null {
	try {
		return read(socket);
	} catch {
		return null;
	}
}
function read(socket: TLSSocket): Shown | null {
	const fingerprint = socket.getPeerX509Certificate()?.fingerprint256;
	if (fingerprint === undefined) return null;
	const problem = socket.authorized ? null : String(socket.authorizationError);
	// One that was not taken has no chain that could be kept
	let parts = problem === null ? taken.get(fingerprint) : undefined;
	if (!parts) {
		parts = takenApart(socket);
		if (problem === null) taken.set(fingerprint, parts);
	}
	return { ...parts, problem };
}
function takenApart(socket: TLSSocket): Omit<Shown, 'problem'> {
	const own = socket.getPeerCertificate(true);
	const chain: DetailedPeerCertificate[] = [];
	for (
		let one: DetailedPeerCertificate | undefined = own;
		one?.fingerprint256 && chain.length < MOST_ABOVE && chain.at(-1) !== one;
		one = one.issuerCertificate
	)
		chain.push(one);
	const { serialNumber } = own.subject as { serialNumber?: unknown };
	return {
		subjectSerial: typeof serialNumber === 'string' ? serialNumber : '',
		chain: chain.map(({ fingerprint256, issuer, serialNumber: serial }) => ({
			fingerprint: fingerprint256,
			issuer: nameOf(issuer),
			serial
		}))
	};
}
/** A distinguished name, to be compared. */
export const nameOf = (name: object): string => JSON.stringify(name);

/** As one header from the server's process to the application in it. */
export const asHeader = (shown: Shown): string => Buffer.from(JSON.stringify(shown)).toString('base64');
export function fromHeader(header: string): Shown | null {
	const read = v.safeParse(shownSchema, JSON.parse(Buffer.from(header, 'base64').toString()));
	return read.success ? read.output : null;
}

/** Told by the application to the server's process: whose device certificates are taken from now on, as PEM. */
export const AUTHORITIES_EVENT = 'limen:device-authorities';
/** Asked for, and believed only when one of the makers' authorities stands above it. */
export const TLS_FOR_DEVICES = { requestCert: true, rejectUnauthorized: false } as const;
/** Of a secure context for devices. */
export const DEVICE_CONTEXT = {
	// A session that is taken up again says nothing of what stands above a certificate, so none is
	secureOptions: constants.SSL_OP_NO_TICKET,
	// A pack may name one below a root, which is believed as it is
	allowPartialTrustChain: true
};
