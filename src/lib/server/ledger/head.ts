import { createPublicKey, sign, verify } from 'node:crypto';
import { ledgerKey } from '../keys';

/**
 * Where the ledger's chain stood at a moment, signed: `limen-ledger ENTRY HASH TIME SIGNATURE` on one line,
 * the hash in hex, the time in ISO 8601, the signature Ed25519 (RFC 8032) over all before it, in base64url.
 */
export interface Head {
	readonly entry: number;
	readonly hash: string;
	readonly at: string;
}

const bodyOf = ({ entry, hash, at }: Head): string => `limen-ledger ${entry} ${hash} ${at}`;

export function writeHead(head: Head): string {
	const body = bodyOf(head);
	return `${body} ${sign(null, Buffer.from(body), ledgerKey()).toString('base64url')}`;
}

const FORM = /limen-ledger (\d{1,15}) ([0-9a-f]{64}) (\d{4}-\d\d-\d\dT[\d:.]+Z) ([\w-]{86})/;

/** Reads a head out of whatever text it stands in, such as a letter; null when there is none, or its signature is not ours. */
export function readHead(text: string): Head | null {
	const [, entry, hash, at, signature] = FORM.exec(text.replace(/\s+/g, ' ')) ?? [];
	if (!entry || !hash || !at || !signature) return null;
	const head = { entry: Number(entry), hash, at };
	const holds = verify(
		null,
		Buffer.from(bodyOf(head)),
		createPublicKey(ledgerKey()),
		Buffer.from(signature, 'base64url')
	);
	return holds ? head : null;
}
