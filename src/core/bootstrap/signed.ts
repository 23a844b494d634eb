import { signData, type Signer } from '../trust';
import { CONVEYED_INFORMATION_JSON } from './cms';

/** Conveyed information, as JSON, that its owner's key signs. */
export interface ToSign {
	readonly json: string;
	readonly signer: Signer;
	readonly at: Date;
}
/** Signed conveyed information (RFC 8572 section 3.1): CMS in DER, for each in its order. */
export async function signConveyed(all: readonly ToSign[]): Promise<readonly Uint8Array[]> {
	const signed: Uint8Array[] = [];
	for (const { json, signer, at } of all)
		signed.push(await signData(new TextEncoder().encode(json), CONVEYED_INFORMATION_JSON, signer, at));
	return signed;
}
