import * as v from 'valibot';
import {
	CONVEYED_INFORMATION_JSON,
	conveyedInformationSchema,
	decodeConveyed,
	REDIRECT,
	type ConveyedInformation
} from '../../../src/core/bootstrap';
import {
	certificatesIn,
	openSigned,
	readVoucher,
	VOUCHER_JSON,
	voucherProblem
} from '../../../src/core/trust';

/** What a server answered, each as base64 of CMS. */
export interface Given {
	readonly 'conveyed-information': string;
	readonly 'owner-certificate'?: string | undefined;
	readonly 'ownership-voucher'?: string | undefined;
}
/** Whom a unit believes: its maker, whose root it was made to trust, in its vouchers; at a time, where it has a clock. */
export interface Believes {
	readonly serial: string;
	readonly root: Uint8Array;
	readonly now: Date | null;
	readonly nonce: string | null;
}
export type Believed =
	| { readonly ok: true; readonly information: ConveyedInformation; readonly isSigned: boolean }
	| { readonly ok: false; readonly problem: string };

const octets = (base64: string): Uint8Array => Uint8Array.from(Buffer.from(base64, 'base64'));

/**
 * RFC 8572 section 5.4: what a unit that believes nobody makes of an answer. Signed data counts when the voucher is its
 * maker's, for it, and pins whoever signed; unsigned it takes no more than where else to ask.
 */
export async function believe(given: Given, { root, now, ...about }: Believes): Promise<Believed> {
	const refused = (problem: string): Believed => ({ ok: false, problem });
	const { 'ownership-voucher': voucher, 'owner-certificate': owner } = given;
	if (voucher === undefined || owner === undefined) {
		const conveyed = decodeConveyed(given['conveyed-information']);
		if (!conveyed.ok) return conveyed;
		return REDIRECT in conveyed.information
			? { ok: true, information: conveyed.information, isSigned: false }
			: refused('what it was given is not signed');
	}
	const opened = await openSigned(octets(voucher), VOUCHER_JSON, [root], now);
	if (!opened.ok) return refused(`voucher: ${opened.problem}`);
	const read = readVoucher(opened.content);
	if (!read.ok) return refused(`voucher: ${read.problem}`);
	const problem = voucherProblem(read.voucher, { ...about, now });
	if (problem !== null) return refused(`voucher: ${problem}`);
	const chain = certificatesIn(octets(owner));
	if (!chain) return refused('owner certificate: it is none');
	const conveyed = await openSigned(
		octets(given['conveyed-information']),
		CONVEYED_INFORMATION_JSON,
		[read.voucher.pinned],
		now,
		chain
	);
	if (!conveyed.ok) return refused(`what it was given: ${conveyed.problem}`);
	try {
		const json: unknown = JSON.parse(new TextDecoder().decode(conveyed.content));
		const parsed = v.safeParse(conveyedInformationSchema, json);
		return parsed.success
			? { ok: true, information: parsed.output, isSigned: true }
			: refused(parsed.issues[0].message);
	} catch {
		return refused('what it was given is not JSON');
	}
}
