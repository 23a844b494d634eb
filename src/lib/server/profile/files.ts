import { createHash } from 'node:crypto';
import { fileKey, type CarriedFile } from '../../../core/profile';
import { database } from '../database';
import { currentSettings, publicUrl } from '../settings';

/** A file that goes with a revision, known by what is in it. */
export interface StoredFile extends CarriedFile {
	/** In lower-case hexadecimal. */
	readonly sha256: string;
}

export const storedFile = ({ name, text }: CarriedFile): StoredFile => ({
	name,
	text,
	sha256: createHash('sha256').update(text).digest('hex')
});

/** Where units download a file. The hash in it tells them what they should have got. */
export const fileUrl = ({ sha256, name }: Omit<StoredFile, 'text'>): string =>
	`${publicUrl(currentSettings())}/files/${sha256}/${encodeURIComponent(name)}`;

const addresses = new WeakMap<readonly StoredFile[], Record<string, string>>();

/** The addresses of a revision's files by the names that texts use. */
export function fileAddresses(files: readonly StoredFile[]): Record<string, string> {
	let found = addresses.get(files);
	if (!found)
		addresses.set(
			files,
			(found = Object.fromEntries(files.map((file) => [fileKey(file.name), fileUrl(file)])))
		);
	return found;
}

/** What a file of any released revision holds; null when there is none. Anybody who knows its hash may have it. */
export async function findFile(sha256: string, name: string): Promise<string | null> {
	if (!/^[0-9a-f]{64}$/.test(sha256)) return null;
	const wanted = JSON.stringify([{ name, sha256 }]);
	const { rows } = await database().raw(
		`select files from profile_revision where state = 'released' and files @> ?::jsonb limit 1`,
		[wanted]
	);
	const files = (rows[0]?.files ?? []) as StoredFile[];
	return files.find((file) => file.name === name && file.sha256 === sha256)?.text ?? null;
}
