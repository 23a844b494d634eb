import { claimKeyMark, knowsSecretKey, sameHash } from '../keys';
import { database } from './connection';

/** The keys this installation was made with must be there; with others nothing could be read or compared. */
export async function checkKeys(): Promise<void> {
	const made = await database()('installation').first('claim_key_mark', 'secret_key_id');
	const problem = made && keysProblem(made.claim_key_mark, made.secret_key_id);
	if (problem) throw new Error(problem);
}

/** One sentence about what is wrong with the key files; null when they fit the database. */
export function keysProblem(mark: Buffer, secretKeyId: string): string | null {
	if (!sameHash(mark, claimKeyMark()))
		return 'The key file keys/claim.key is not the one this database was made with: restore it from the backup. Nothing was changed.';
	if (!knowsSecretKey(secretKeyId))
		return 'The key file keys/secret.keys does not hold the key this database was made with: restore it from the backup. Nothing was changed.';
	return null;
}
