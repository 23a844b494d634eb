import { timeNow } from '../../database';
import { randomInt } from 'node:crypto';
import type { Knex } from 'knex';
import { Secret, TOTP } from 'otpauth';
import { keyedHash, unseal, seal } from '../../keys';

/** One-time codes (RFC 6238): six digits, thirty seconds, one step of tolerance either way. */
const PERIOD_SECONDS = 30;
const RECOVERY_CODES = 10;
const RECOVERY_ALPHABET = 'abcdefghjkmnpqrstuvwxyz23456789';

const totpOf = (secret: string, email: string) =>
	new TOTP({ issuer: 'Limen', label: email, secret: Secret.fromBase32(secret), period: PERIOD_SECONDS });

/** A new secret, to be confirmed with a first code; sealed for the database, and the address for a QR code. */
export function newTotp(email: string): {
	readonly sealed: string;
	readonly secret: string;
	readonly uri: string;
} {
	const secret = new Secret({ size: 20 }).base32;
	return { sealed: seal(secret), secret, uri: totpOf(secret, email).toString() };
}

export const totpUri = (sealed: string, email: string): string => totpOf(unseal(sealed), email).toString();

/** The time step a code belongs to; null when it is wrong. */
export function totpStep(sealed: string, code: string, now = timeNow()): number | null {
	const delta = totpOf(unseal(sealed), '').validate({
		token: code.replace(/\s/g, ''),
		window: 1,
		timestamp: now
	});
	return delta === null ? null : Math.floor(now / 1000 / PERIOD_SECONDS) + delta;
}

/**
 * Accepts a one-time code or a recovery code, each only once. The person's row must be of this
 * transaction, so that two attempts at once with the same code do not both pass.
 */
export async function acceptCode(
	trx: Knex,
	person: { id: string; totp_secret: string; totp_last_step: string | null },
	code: string
): Promise<boolean> {
	const step = totpStep(person.totp_secret, code);
	if (step !== null)
		return (
			(await trx('person')
				.where({ id: person.id })
				.where((where) => where.whereNull('totp_last_step').orWhere('totp_last_step', '<', step))
				.update({ totp_last_step: step })) === 1
		);
	return (
		(await trx('recovery_code')
			.where({ person_id: person.id, code_hash: recoveryHash(code) })
			.whereNull('used_at')
			.update({ used_at: trx.fn.now() })) === 1
	);
}

const recoveryHash = (code: string): Buffer => keyedHash(code.toLowerCase().replace(/[^a-z0-9]/g, ''));

/** New recovery codes in place of all earlier ones; shown once. */
export async function renewRecoveryCodes(trx: Knex, personId: string): Promise<string[]> {
	const codes = Array.from({ length: RECOVERY_CODES }, () => {
		const letters = Array.from(
			{ length: 10 },
			() => RECOVERY_ALPHABET[randomInt(RECOVERY_ALPHABET.length)]
		).join('');
		return `${letters.slice(0, 5)}-${letters.slice(5)}`;
	});
	await trx('recovery_code').where({ person_id: personId }).delete();
	await trx('recovery_code').insert(
		codes.map((code) => ({ person_id: personId, code_hash: recoveryHash(code) }))
	);
	return codes;
}
