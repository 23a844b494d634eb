import { timeNow } from '../database';
import type { Knex } from 'knex';
import * as v from 'valibot';
import {
	claimsAnswerSchema,
	readRetryAfter,
	vouchersAnswerSchema,
	type ClaimsAnswer,
	type ClaimsRequest,
	type ReleasesRequest,
	type VouchersAnswer,
	type VouchersRequest
} from '../../../core/intake';
import { bootstrapUri } from '../../../core/bootstrap';
import { bootstrapServer, serverAnchor } from '../certificates';
import { claimHash, seal } from '../keys';
import { currentSettings } from '../settings';

/** Makers' registries over HTTP: the only way in which Limen asks them. */
export interface RegistryPlace {
	readonly makerId: string;
	readonly url: string;
}

let places: readonly RegistryPlace[] | undefined;

/** Where each maker's registry is. Of a maker without one, whoever has the claim code is taken at their word. */
export const registries = (): readonly RegistryPlace[] => places ?? currentSettings().LIMEN_REGISTRIES;
/** Other registries than the settings name, for a program that brings its own. */
export const useRegistries = (instead: readonly RegistryPlace[] | undefined): void => {
	places = instead;
};

/** A unit that a registry is to be asked for, with its claim code in clear. */
export interface ToBeAsked {
	readonly id: string;
	readonly claimCode: string;
}

/**
 * Lets units with new claim codes be asked for, again or for the first time; those whose makers have no
 * registry are confirmed at once.
 */
export async function askFor(trx: Knex, units: readonly ToBeAsked[]): Promise<void> {
	if (units.length === 0) return;
	const asked = registries().map(({ makerId }) => makerId);
	const given = JSON.stringify(
		units.map(({ id, claimCode }) => ({
			id,
			hash: claimHash(claimCode).toString('hex'),
			code: seal(claimCode)
		}))
	);
	await trx.raw(
		`update unit set claim_hash = decode(g.hash, 'hex'), ownership_words = '',
			ownership = case when maker_id = any (?::text[]) then 'asked' else 'confirmed' end
		from jsonb_to_recordset(?::jsonb) as g(id uuid, hash text) where unit.id = g.id`,
		[asked, given]
	);
	await trx.raw(
		`insert into claim_request (unit_id, customer_id, maker_id, claim_code)
		select unit.id, unit.customer_id, unit.maker_id, g.code from jsonb_to_recordset(?::jsonb) as g(id uuid, code text)
		join unit on unit.id = g.id where unit.ownership = 'asked'
		on conflict (unit_id) do update set claim_code = excluded.claim_code, kind = 'claim', next_at = now(), problem = ''`,
		[given]
	);
}

const LONGEST_ANSWER_MS = 60_000;
/** What a process asked for that has ended since is asked for again after this: an answer and its keeping take no longer. */
export const ASKING_LEASE = `${LONGEST_ANSWER_MS / 1_000 + 30} seconds`;
const LARGEST_ANSWER = 200_000;
/** Fifty vouchers with their chains. */
const LARGEST_VOUCHERS = 6_000_000;

export type RegistryAnswer =
	| { readonly ok: true; readonly units: ClaimsAnswer['units'] }
	| { readonly ok: false; readonly problem: string; readonly retryAfter: number | null };

/** Claims units at a registry. Never throws: what goes wrong on the way is a sentence. */
export async function askToClaim(
	{ url }: RegistryPlace,
	units: ClaimsRequest['units']
): Promise<RegistryAnswer> {
	const asked: ClaimsRequest = {
		account: currentSettings().LIMEN_REGISTRY_ACCOUNT,
		bootstrapServer: bootstrapUri(bootstrapServer()),
		trustAnchor: await serverAnchor(),
		units
	};
	const sent = await send(`${url}/claims`, asked);
	if (!sent.ok) return sent;
	const answer = v.safeParse(claimsAnswerSchema, jsonIn(sent.text));
	return answer.success
		? { ok: true, units: answer.output.units }
		: { ok: false, problem: 'It answers what cannot be understood.', retryAfter: null };
}

/** Gives units back at a registry: they are nobody's then. Giving back what is not ours does no harm. */
export async function askToRelease(
	{ url }: RegistryPlace,
	serials: readonly string[]
): Promise<RegistryAnswer> {
	const asked: ReleasesRequest = {
		account: currentSettings().LIMEN_REGISTRY_ACCOUNT,
		units: serials.map((serial) => ({ serial }))
	};
	const sent = await send(`${url}/releases`, asked);
	return sent.ok ? { ok: true, units: [] } : sent;
}

export type VouchersGiven =
	| { readonly ok: true; readonly units: VouchersAnswer['units'] }
	/** `status`: what it answered with, where it answered. */
	| (Extract<RegistryAnswer, { ok: false }> & { readonly status: number | null });

/** Asks a registry for vouchers that pin a certificate. Never throws: what goes wrong on the way is a sentence. */
export async function askForVouchers(
	{ url }: RegistryPlace,
	pinned: Uint8Array,
	units: VouchersRequest['units'],
	patienceMs = LONGEST_ANSWER_MS
): Promise<VouchersGiven> {
	const asked: VouchersRequest = {
		account: currentSettings().LIMEN_REGISTRY_ACCOUNT,
		pinned: Buffer.from(pinned).toString('base64'),
		units
	};
	const sent = await send(`${url}/vouchers`, asked, { most: LARGEST_VOUCHERS, patienceMs });
	if (!sent.ok) return sent;
	const answer = v.safeParse(vouchersAnswerSchema, jsonIn(sent.text));
	return answer.success
		? { ok: true, units: answer.output.units }
		: { ok: false, problem: 'It answers what cannot be understood.', retryAfter: null, status: 200 };
}

type Sent = { readonly ok: true; readonly text: string } | Extract<VouchersGiven, { ok: false }>;

async function send(
	url: string,
	asked: object,
	{ most, patienceMs } = { most: LARGEST_ANSWER, patienceMs: LONGEST_ANSWER_MS }
): Promise<Sent> {
	const failed = (problem: string, retryAfter: number | null = null, status: number | null = null): Sent => ({
		ok: false,
		problem,
		retryAfter,
		status
	});
	let response: Response;
	let text: string;
	try {
		response = await fetch(url, {
			method: 'POST',
			headers: { 'content-type': 'application/json', accept: 'application/json' },
			body: JSON.stringify(asked),
			redirect: 'error',
			signal: AbortSignal.timeout(patienceMs)
		});
		text = await boundedText(response, most);
	} catch (error) {
		if (error instanceof TooLong) return failed('Its answer is longer than any that is wanted.');
		return failed(
			(error as Error).name === 'TimeoutError' ? 'It does not answer in time.' : 'It cannot be reached.'
		);
	}
	const retryAfter = readRetryAfter(response.headers.get('retry-after'), timeNow());
	const { status } = response;
	if (status === 429) return failed('It wants fewer requests.', retryAfter, status);
	return response.ok ? { ok: true, text } : failed(`It answers with error ${status}.`, retryAfter, status);
}

class TooLong extends Error {}

/** An answer's text; what is longer than any answer is not read to its end. */
async function boundedText(response: Response, most: number): Promise<string> {
	if (!response.body) return '';
	const decoder = new TextDecoder();
	let text = '';
	for await (const part of response.body as unknown as AsyncIterable<Uint8Array>) {
		text += decoder.decode(part, { stream: true });
		if (text.length > most) throw new TooLong();
	}
	return text + decoder.decode();
}

function jsonIn(text: string): unknown {
	try {
		return JSON.parse(text);
	} catch {
		return null;
	}
}
