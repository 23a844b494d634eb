import { normalSerial, readClaimCode } from '../../../core/intake';
import type { Credentials } from '../../../core/bootstrap';
import { BOOTSTRAP, database, grouped } from '../database';
import { claimHash, sameHash } from '../keys';
import { fromHeader, judge, type Certified } from '../devices';
import { noteCaller, type CallerReason } from '../door';
import { countRefusedCaller } from '../metrics';
import { countTry } from '../people';

/** What a caller shows of itself: a claim code (HTTP Basic), a device certificate, or both; then both have to be right. */
export interface Proof {
	readonly credentials: Credentials | null;
	readonly certified: Certified | null;
}

/** Who a caller is by a certificate that it showed to the units' TLS server; null where it showed none that counts. */
export async function certifiedBy(request: Request): Promise<Certified | null> {
	// Set by our own server under a name that only this process knows
	const { LIMEN_DEVICE_HEADER } = process.env;
	const header = LIMEN_DEVICE_HEADER ? request.headers.get(LIMEN_DEVICE_HEADER) : null;
	const shown = header === null ? null : fromHeader(header);
	return shown && judge(shown);
}

/** Whether a caller came to the port where units are only told where to ask. */
export function isRedirecting(request: Request): boolean {
	const { LIMEN_UNITS_PORT_HEADER } = process.env;
	return LIMEN_UNITS_PORT_HEADER !== undefined && request.headers.get(LIMEN_UNITS_PORT_HEADER) === 'redirect';
}

/** A unit that has proved who it is and is bound to a position. */
export interface ExpectedUnit {
	readonly unitId: string;
	readonly positionId: string;
	readonly runId: string;
	readonly outcome: 'open' | 'failed' | 'through' | 'cancelled';
}

interface Candidate {
	unit_id: string;
	serial: string;
	maker_id: string;
	claim_hash: Buffer;
	wants_certificate: boolean;
	position_id: string | null;
	run_id: string | null;
	outcome: ExpectedUnit['outcome'] | null;
}

const lookUp = grouped<string, readonly Candidate[]>(BOOTSTRAP, async (serials) => {
	const { rows } = await database().raw(
		`select unit.id as unit_id, unit.serial, unit.maker_id, claim_hash, binding.position_id, binding.run_id, run.outcome,
			exists (select from certificate_demand d where d.customer_id = unit.customer_id and d.maker_id = unit.maker_id) as wants_certificate
		from unit left join binding on binding.unit_id = unit.id left join run on run.id = binding.run_id
		where unit.serial = any(?::text[])`,
		[[...new Set(serials)]]
	);
	const bySerial = new Map<string, Candidate[]>();
	for (const row of rows as Candidate[]) bySerial.set(row.serial, [...(bySerial.get(row.serial) ?? []), row]);
	return serials.map((serial) => bySerial.get(serial) ?? []);
});

/** No code has this hash: compared against when a serial is unknown, so that both take the same time. */
const NO_HASH = Buffer.alloc(32);

/**
 * Who calls, by serial number and claim code (HTTP Basic), or by a device certificate that one of a maker's authorities
 * stands above.
 * Returns null for everybody who is not to be served, and notes them at the door with the reason; the
 * outside learns no more than that. Whoever guesses is made to wait, and gets the number of seconds; a right
 * code is served all the same, for a stranger's guesses must not lock a unit out, nor those beside it.
 * Serials are unique per maker, so several units may share one: the code tells them apart.
 */
export async function expectUnit(
	given: Proof,
	address: string
): Promise<ExpectedUnit | { readonly wait: number } | null> {
	const { credentials, certified } = given;
	const serial = serialOf(given);
	const all = await lookUp(serial);
	const candidates = certified ? all.filter(({ maker_id }) => certified.makerIds.includes(maker_id)) : all;
	const found = credentials ? withCode(candidates, credentials.claimCode) : onlyOne(candidates);
	const reason = refusal(candidates, found, given);
	if (reason === null)
		return {
			unitId: found!.unit_id,
			positionId: found!.position_id!,
			runId: found!.run_id!,
			outcome: found!.outcome!
		};
	countRefusedCaller(reason);
	const guesses = reason === 'unknown' || reason === 'wrong-code';
	const wait = guesses ? waitOfCaller(serial, address) : 0;
	if (wait > 0) return { wait };
	await noteCaller({ serial, reason, address });
	if (guesses) await countRefusal(serial, address);
	return null;
}

/** Whom a caller says it is. */
export const serialOf = ({ credentials, certified }: Proof): string =>
	normalSerial((certified ?? credentials)!.serial);

/** A certificate names a serial number; if units of two makers share it, their codes must tell them apart. */
const onlyOne = (candidates: readonly Candidate[]) => (candidates.length === 1 ? candidates[0] : undefined);

function withCode(candidates: readonly Candidate[], claimCode: string): Candidate | undefined {
	const hash = claimHash(readClaimCode(claimCode) ?? claimCode);
	let found: Candidate | undefined;
	for (const candidate of candidates) if (sameHash(candidate.claim_hash, hash)) found = candidate;
	if (candidates.length === 0) sameHash(NO_HASH, hash);
	return found;
}

function refusal(
	candidates: readonly Candidate[],
	found: Candidate | undefined,
	{ credentials, certified }: Proof
): CallerReason | null {
	if (certified && credentials && normalSerial(credentials.serial) !== normalSerial(certified.serial))
		return 'bad-certificate';
	if (certified?.isSpent) return 'bad-certificate';
	if (candidates.length === 0) return certified ? 'unclaimed' : 'unknown';
	if (!found) return 'wrong-code';
	if (found.wants_certificate && !certified) return 'no-certificate';
	return found.run_id === null ? 'unbound' : null;
}

/**
 * Whoever guesses claim codes or serial numbers is made to wait. Refused calls are counted in the database
 * for all processes; each remembers whom it must keep waiting, so that a unit that is served costs nothing.
 */
const waiting = new Map<string, number>();
const MOST_WAITING = 10_000;

async function countRefusal(serial: string, address: string): Promise<void> {
	for (const [limit, key] of [
		['serial', `${serial} ${address}`],
		['caller', address]
	] as const) {
		const seconds = await countTry(limit, key);
		if (seconds === 0) continue;
		if (waiting.size >= MOST_WAITING) waiting.clear();
		waiting.set(`${limit} ${key}`, performance.now() + seconds * 1000);
	}
}

/** Seconds that a guesser must wait before a wrong guess is looked into again; 0 when it need not. */
function waitOfCaller(serial: string, address: string): number {
	if (waiting.size === 0) return 0;
	const until = Math.max(
		waiting.get(`serial ${serial} ${address}`) ?? 0,
		waiting.get(`caller ${address}`) ?? 0
	);
	return Math.max(0, Math.ceil((until - performance.now()) / 1000));
}
