import { issue, type Signer } from '../../../src/core/trust';

const MADE = new Date('2026-01-01T00:00:00Z');
/** IEEE 802.1AR: a device's certificate does not end. */
const NEVER = new Date('9999-12-31T23:59:59Z');

/** The certificate that a unit got in the factory (IEEE 802.1AR), with its key and those above it but the root. */
export async function deviceCertificate(
	serial: string,
	maker: Signer,
	{ from, until }: { readonly from: Date; readonly until: Date } = { from: MADE, until: NEVER }
): Promise<Signer> {
	const own = await issue({ subject: `CN=unit, 2.5.4.5=${serial}`, from, until, isAuthority: false }, maker);
	return { ...own, chain: own.chain.slice(0, -1) };
}
