import {
	encodeConveyed,
	onboardingInformation,
	redirectInformation,
	signConveyed
} from '../../../src/core/bootstrap';
import {
	certificatesOnly,
	fromPem,
	issue,
	signData,
	VOUCHER_JSON,
	writeVoucher,
	type Signer
} from '../../../src/core/trust';
import type { Server } from './bootstrap-client';
import type { Fault } from '../flash';
import type { Given } from './trust';

const DAY_MS = 24 * 3_600_000;
const base64 = (octets: Uint8Array): string => Buffer.from(octets).toString('base64');

/** Somebody who is no owner of anything, with a key of their own; made once. */
let somebody: Promise<Signer> | undefined;
const nobodysKey = (): Promise<Signer> =>
	(somebody ??= issue({
		subject: 'CN=Somebody else',
		from: new Date(Date.now() - 30 * DAY_MS),
		until: new Date(Date.now() + 365 * DAY_MS),
		isAuthority: true
	}));
/** What they would have the unit become. */
const THEIRS = onboardingInformation({
	image: null,
	configuration: 'somebody else was here\n',
	preScript: null,
	postScript: null
});

/**
 * What somebody in between makes of an answer, as one of a unit's faults says. `maker`: who signs its maker's vouchers, for those that
 * were once right.
 */
export async function meddle(
	given: Given,
	{ uri, isTrusted }: Server,
	{
		serial,
		faults,
		maker
	}: { readonly serial: string; readonly faults: ReadonlySet<Fault>; readonly maker: Signer }
): Promise<Given> {
	if (!isTrusted) {
		const { hostname, port } = new URL(uri);
		return faults.has('circle')
			? { 'conveyed-information': encodeConveyed(redirectInformation(hostname, Number(port), '')) }
			: given;
	}
	const nobody = await nobodysKey();
	const now = Date.now();
	const asOwner = async (voucher: string): Promise<Given> => {
		const [conveyed] = await signConveyed([
			{ json: JSON.stringify(THEIRS), signer: nobody, at: new Date(now) }
		]);
		return {
			'conveyed-information': base64(conveyed!),
			'owner-certificate': base64(certificatesOnly(nobody.chain)),
			'ownership-voucher': voucher
		};
	};
	const voucher = async (
		by: Signer,
		about: { readonly serial?: string; readonly expiresOn?: Date | null; readonly nonce?: string | null } = {}
	): Promise<string> => {
		const content = writeVoucher({
			serial,
			createdOn: new Date(now - 20 * DAY_MS),
			expiresOn: new Date(now + 20 * DAY_MS),
			nonce: null,
			pinned: fromPem(nobody.chain[0]!),
			...about
		});
		return base64(await signData(content, VOUCHER_JSON, by, new Date(now)));
	};
	if (faults.has('forged-voucher')) return asOwner(await voucher(nobody));
	if (faults.has('other-voucher'))
		return asOwner(await voucher(maker, { serial: `${serial.slice(0, -1)}0X` }));
	if (faults.has('old-voucher')) return asOwner(await voucher(maker, { expiresOn: new Date(now - DAY_MS) }));
	if (faults.has('replayed-nonce'))
		return asOwner(await voucher(maker, { expiresOn: null, nonce: base64(Buffer.alloc(16, 7)) }));
	if (faults.has('wrong-owner') && given['ownership-voucher']) return asOwner(given['ownership-voucher']);
	if (faults.has('tampered')) {
		const octets = Buffer.from(given['conveyed-information'], 'base64');
		const middle = octets.length >> 1;
		octets[middle] = octets[middle]! ^ 1;
		return { ...given, 'conveyed-information': base64(octets) };
	}
	return faults.has('unsigned') ? { 'conveyed-information': encodeConveyed(THEIRS) } : given;
}
