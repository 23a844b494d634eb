import { normalSerial, readClaimCode } from '../../../core/intake';
import type { Credentials } from '../../../core/bootstrap';
import { BOOTSTRAP, database, grouped } from '../database';
import { claimHash, sameHash } from '../keys';
import { noteCaller, type CallerReason } from '../door';

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
	claim_hash: Buffer;
	position_id: string | null;
	run_id: string | null;
	outcome: ExpectedUnit['outcome'] | null;
}

const lookUp = grouped<string, readonly Candidate[]>(BOOTSTRAP, async (serials) => {
	const { rows } = await database().raw(
		`select unit.id as unit_id, unit.serial, claim_hash, binding.position_id, binding.run_id, run.outcome
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
 * Who calls, by serial number and claim code (HTTP Basic for now). Returns null for everybody who is not
 * to be served, and notes them at the door with the reason; the outside learns no more than that.
 * Serials are unique per maker, so several units may share one: the code tells them apart.
 */
export async function expectUnit(credentials: Credentials, address: string): Promise<ExpectedUnit | null> {
	const serial = normalSerial(credentials.serial);
	const hash = claimHash(readClaimCode(credentials.claimCode) ?? credentials.claimCode);
	const candidates = await lookUp(serial);
	let found: Candidate | undefined;
	for (const candidate of candidates) if (sameHash(candidate.claim_hash, hash)) found = candidate;
	if (candidates.length === 0) sameHash(NO_HASH, hash);
	const reason = refusal(candidates, found);
	if (reason !== null) {
		await noteCaller({ serial, reason, address });
		return null;
	}
	return {
		unitId: found!.unit_id,
		positionId: found!.position_id!,
		runId: found!.run_id!,
		outcome: found!.outcome!
	};
}

function refusal(candidates: readonly Candidate[], found: Candidate | undefined): CallerReason | null {
	if (candidates.length === 0) return 'unknown';
	if (!found) return 'wrong-code';
	return found.run_id === null ? 'unbound' : null;
}
