import { createHash } from 'node:crypto';
import { LRUCache } from 'lru-cache';
import type { ToSign } from '../../../core/bootstrap';
import { certificatesOnly, type Signer } from '../../../core/trust';
import { BOOTSTRAP, database, grouped, timeNow } from '../database';
import { unseal } from '../keys';
import { offMainThread, task } from '../threads';
import { keptVoucher, noncedVoucher } from './vouchers';

/** What a unit is given that believes only its owner (RFC 8572 section 6.3), each as base64 of CMS. */
export interface SignedAnswer {
	readonly 'conveyed-information': string;
	readonly 'owner-certificate': string;
	readonly 'ownership-voucher': string;
}
const SIGN = task<readonly ToSign[], readonly Uint8Array[]>('signConveyed');
/** Units that call all at once: so many go to a thread together, and no more wait for one than for the database. */
const SIGNED_TOGETHER = 50;
const sign = grouped<ToSign, Uint8Array>(BOOTSTRAP, (all) => offMainThread(SIGN, all), SIGNED_TOGETHER);

/** What was signed for a unit last, as long as neither it nor the key has changed. */
const signed = new LRUCache<string, { readonly of: string; readonly conveyed: string }>({
	maxSize: 64 * 1024 * 1024,
	sizeCalculation: ({ conveyed }) => conveyed.length
});
/** The owner's certificates by key, as they are given. */
const owners = new LRUCache<string, string>({ max: 20 });
const base64 = (octets: Uint8Array): string => Buffer.from(octets).toString('base64');

/**
 * Conveyed information as JSON, signed for a unit that has a voucher: the one that is kept, or one with the nonce that it
 * sent because it has no clock. Null where there is none. Runs as BOOTSTRAP.
 */
export async function signedAnswer(
	{ unitId, serial }: { readonly unitId: string; readonly serial: string },
	json: string,
	nonce: string | undefined
): Promise<SignedAnswer | null> {
	const voucher =
		nonce === undefined ? await keptVoucher(unitId) : await noncedVoucher(unitId, serial, nonce);
	if (!voucher) return null;
	const { key, chain } = await signerOf(voucher.keyId);
	const of = createHash('sha256').update(voucher.keyId).update(json).digest('base64');
	let kept = signed.get(unitId);
	if (kept?.of !== of) {
		kept = {
			of,
			conveyed: base64(await sign({ json, signer: { key, chain }, at: new Date(timeNow()) }))
		};
		signed.set(unitId, kept);
	}
	let owner = owners.get(voucher.keyId);
	if (owner === undefined) owners.set(voucher.keyId, (owner = base64(certificatesOnly(chain))));
	return {
		'conveyed-information': kept.conveyed,
		'owner-certificate': owner,
		'ownership-voucher': base64(voucher.content)
	};
}

/** The key that a voucher pins, which may have been renewed since. */
const signerOf = grouped<string, Signer>(BOOTSTRAP, async (ids) => {
	const rows: { id: string; certificate: string; key: string }[] = await database()('owner_key')
		.whereIn('id', [...new Set(ids)])
		.select('id', 'certificate', 'private_key as key');
	const signers = new Map(
		rows.map(({ id, ...row }) => [id, { key: unseal(row.key), chain: [row.certificate] }])
	);
	return ids.map((id) => signers.get(id)!);
});
