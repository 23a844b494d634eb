import { createHash } from 'node:crypto';
import type { IncomingMessage, ServerResponse } from 'node:http';
import { setTimeout as wait } from 'node:timers/promises';
import * as v from 'valibot';
import { fromPem, signData, VOUCHER_JSON, writeVoucher, type Signer } from '../../src/core/trust';
import {
	claimsRequestSchema,
	readClaimCode,
	releasesRequestSchema,
	vouchersRequestSchema,
	type ClaimsAnswer,
	type RegistryResult,
	type VouchersAnswer,
	type VouchersRequest
} from '../../src/core/intake';

/** How a registry can misbehave, in words for the yard's panel. */
export const REGISTRY_FAULTS = {
	down: 'does not answer',
	failing: 'answers with an error',
	'rate-limiting': 'wants fewer requests',
	settling: 'takes its time to decide',
	'no-vouchers': 'gives no vouchers',
	'false-vouchers': 'gives vouchers that pin somebody else’s certificate'
} as const;
export type RegistryFault = keyof typeof REGISTRY_FAULTS;

export interface KnownUnit {
	readonly serial: string;
	readonly claimCode: string;
	/** The account that owns it; nobody's when it was only just made. */
	readonly owner?: string;
}

/** Where a unit is sent when it first calls, and by which certificates (base64 of CMS) it knows that server. */
interface SentTo {
	readonly uri: string;
	readonly anchor: string;
}
const NOWHERE: SentTo = { uri: '', anchor: '' };

const SETTLES_AFTER_ASKED = 3;
const RETRY_AFTER_SECONDS = 2;
/** A voucher cannot be called back. */
const VOUCHER_DAYS = 30;

/** What a registry knows of a unit. `code`: the SHA-256 of its claim code, in hex. */
export interface KeptUnit {
	readonly code: string;
	readonly owner: string | null;
	readonly sentTo: SentTo;
}

/** A maker's registry: what was made, whose it is, and where it is sent when it first calls. */
export class Registry {
	readonly faults = new Set<RegistryFault>();
	/** Time that one request takes, in milliseconds. */
	slowness = 0;
	/** To claim, to give back or to look up; those for vouchers beside that. */
	requests = 0;
	requestsForVouchers = 0;
	private readonly units = new Map<
		string,
		{ code: Buffer; owner: string | null; sentTo: SentTo; asked: number }
	>();
	/** Called when it knows something new. */
	changed: () => void = () => undefined;

	/** `trusting` has made every unit that it is asked about, with whatever claim code is said first. */
	constructor(
		readonly maker: string,
		known: readonly KnownUnit[],
		private readonly trusting = false,
		/** By whom its vouchers are signed; null where it gives none. */
		private readonly authority: Signer | null = null
	) {
		for (const { serial, claimCode, owner } of known)
			this.units.set(serial, { code: hashOf(claimCode), owner: owner ?? null, sentTo: NOWHERE, asked: 0 });
	}

	/** What it knows, by serial number: for when it is started again. */
	get kept(): Readonly<Record<string, KeptUnit>> {
		return Object.fromEntries(
			[...this.units].map(([serial, { code, owner, sentTo }]) => [
				serial,
				{ code: code.toString('hex'), owner, sentTo }
			])
		);
	}
	recall(kept: Readonly<Record<string, KeptUnit>>): void {
		for (const [serial, { code, ...unit }] of Object.entries(kept))
			this.units.set(serial, { ...unit, code: Buffer.from(code, 'hex'), asked: 0 });
	}

	ownerOf(serial: string): string | null {
		return this.units.get(serial)?.owner ?? null;
	}
	sentTo(serial: string): SentTo {
		return this.units.get(serial)?.sentTo ?? NOWHERE;
	}

	/** Answers one request to `/claims`, `/releases` or `/units/SERIAL`. */
	async answer(path: readonly string[], request: IncomingMessage, response: ServerResponse, text: string) {
		if (path[0] === 'vouchers') this.requestsForVouchers++;
		else this.requests++;
		if (this.slowness > 0) await wait(this.slowness);
		if (this.faults.has('down')) return void request.socket.destroy();
		if (this.faults.has('failing')) return send(response, 503, { error: 'out of order' });
		if (this.faults.has('rate-limiting')) {
			response.setHeader('retry-after', String(RETRY_AFTER_SECONDS));
			return send(response, 429, { error: 'too many requests' });
		}
		const [what, serial = ''] = path;
		if (request.method === 'GET' && what === 'units') {
			const unit = this.units.get(serial);
			return unit
				? send(response, 200, { serial, owner: unit.owner, bootstrapServer: unit.sentTo.uri })
				: send(response, 404, { error: 'never made' });
		}
		if (request.method !== 'POST' || !['claims', 'releases', 'vouchers'].includes(what ?? ''))
			return send(response, 404, { error: 'no such thing' });
		const json = parsed(text);
		if (what === 'releases') {
			const asked = v.safeParse(releasesRequestSchema, json);
			if (!asked.success) return send(response, 400, { error: 'not understood' });
			for (const one of asked.output.units) this.release(one.serial, asked.output.account);
			return send(response, 200, {});
		}
		if (what === 'vouchers') {
			if (!this.authority || this.faults.has('no-vouchers'))
				return send(response, 404, { error: 'no such thing' });
			const asked = v.safeParse(vouchersRequestSchema, json);
			if (!asked.success) return send(response, 400, { error: 'not understood' });
			return send(response, 200, await this.vouchers(asked.output, this.authority));
		}
		const asked = v.safeParse(claimsRequestSchema, json);
		if (!asked.success) return send(response, 400, { error: 'not understood' });
		const { account, bootstrapServer, trustAnchor, units } = asked.output;
		const sentTo = { uri: bootstrapServer, anchor: trustAnchor ?? '' };
		const answer: ClaimsAnswer = {
			units: units.map((unit) => ({
				serial: unit.serial,
				result: this.claim(unit.serial, unit.claimCode, account, sentTo)
			}))
		};
		return send(response, 200, answer);
	}

	private claim(serial: string, claimCode: string, account: string, sentTo: SentTo): RegistryResult {
		let unit = this.units.get(serial);
		if (!unit && this.trusting) {
			unit = { code: hashOf(claimCode), owner: null, sentTo: NOWHERE, asked: 0 };
			this.units.set(serial, unit);
		}
		if (!unit) return 'unknown';
		if (unit.owner !== null && unit.owner !== account) return 'other-account';
		if (!unit.code.equals(hashOf(claimCode))) return 'wrong-code';
		if (unit.owner === account) return 'yours';
		if (this.faults.has('settling') && ++unit.asked < SETTLES_AFTER_ASKED) return 'pending';
		unit.owner = account;
		unit.sentTo = sentTo;
		this.changed();
		return 'claimed';
	}

	/** A voucher for each unit that is the account's; with its nonce where it sent one, else with an end. */
	private async vouchers(
		{ account, pinned, units }: VouchersRequest,
		authority: Signer
	): Promise<VouchersAnswer> {
		const owner = this.faults.has('false-vouchers')
			? fromPem(authority.chain[0]!)
			: Uint8Array.from(Buffer.from(pinned, 'base64'));
		const now = new Date();
		const given: { serial: string; voucher: string | null }[] = [];
		for (const { serial, nonce = null } of units) {
			const expiresOn = nonce === null ? new Date(now.getTime() + VOUCHER_DAYS * 24 * 3_600_000) : null;
			const content = writeVoucher({ serial, createdOn: now, expiresOn, nonce, pinned: owner });
			const isTheirs = this.ownerOf(serial) === account;
			const voucher = isTheirs ? await signData(content, VOUCHER_JSON, authority, now) : null;
			given.push({ serial, voucher: voucher && Buffer.from(voucher).toString('base64') });
		}
		return { units: given };
	}

	private release(serial: string, account: string): void {
		const unit = this.units.get(serial);
		if (unit?.owner === account) {
			unit.owner = null;
			unit.sentTo = NOWHERE;
			this.changed();
		}
	}
}

const hashOf = (code: string) =>
	createHash('sha256')
		.update(readClaimCode(code) ?? code)
		.digest();

const send = (response: ServerResponse, status: number, body: object): void =>
	void response.writeHead(status, { 'content-type': 'application/json' }).end(JSON.stringify(body));

function parsed(text: string): unknown {
	try {
		return JSON.parse(text);
	} catch {
		return null;
	}
}
