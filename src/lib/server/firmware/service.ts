import { createHash, randomUUID } from 'node:crypto';
import { createWriteStream } from 'node:fs';
import { mkdir, rename, rm } from 'node:fs/promises';
import { join } from 'node:path';
import type { Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import { v7 as uuid } from 'uuid';
import { done, refuse, type Act } from '../act';
import { database, isRefusal } from '../database';
import { enterInLedger, type Actor } from '../ledger';
import { notify } from '../live';
import { sharedRefusal } from '../people';
import { currentSettings } from '../settings';

/** Images lie under the state directory, named by their hash, so that none is ever overwritten. */
export const LARGEST_IMAGE_BYTES = 512 * 1024 * 1024;
export const VERSION_FORM = /^[0-9A-Za-z.+_-]{1,64}$/;

const folder = () => join(currentSettings().LIMEN_STATE_DIR, 'images');
export const imagePath = (sha256: Buffer): string => join(folder(), sha256.toString('hex'));

export interface Image {
	readonly id: string;
	readonly firmwareLine: string;
	readonly version: string;
	readonly fileName: string;
	readonly bytes: number;
	readonly sha256: Buffer;
	readonly uploadedAt: Date;
}

const images = () =>
	database()('image').select<Image[]>(
		'id', 'firmware_line as firmwareLine', 'version', 'file_name as fileName', database().raw('bytes::float8 as bytes'),
		'sha256', 'uploaded_at as uploadedAt'
	); // prettier-ignore

export const allImages = (): Promise<Image[]> =>
	images().orderBy([{ column: 'firmware_line' }, { column: 'uploaded_at', order: 'desc' }]);

export const findImage = async (firmwareLine: string, version: string): Promise<Image | undefined> =>
	(await images().where({ firmware_line: firmwareLine, version }))[0];

/** The firmware lines of the known models. */
export const firmwareLines = async (): Promise<string[]> =>
	(await database()('model').distinct('firmware_line').orderBy('firmware_line')).map(
		(row) => row.firmware_line
	);

/**
 * Stores an image while it streams in and keeps its hash. Refused: an unknown line, a version that
 * exists already, an empty or too large file. Nothing is left behind by a refusal.
 */
export async function uploadImage(
	given: {
		readonly firmwareLine: string;
		readonly version: string;
		readonly fileName: string;
		readonly content: Readable;
	},
	actor: Actor
): Promise<Act<{ id: string }>> {
	const refused = await sharedRefusal(
		database(),
		'upload image',
		{ line: given.firmwareLine, version: given.version },
		actor,
		'Images are uploaded by engineers.'
	);
	if (refused) return refused;
	if (!VERSION_FORM.test(given.version)) return refuse('A version has letters, digits and “. + _ -” only.');
	if (!(await firmwareLines()).includes(given.firmwareLine))
		return refuse('No known model has this firmware line.');
	if (await findImage(given.firmwareLine, given.version))
		return refuse(`Version ${given.version} of ${given.firmwareLine} is already here.`);
	await mkdir(folder(), { recursive: true });
	const arriving = join(folder(), `arriving-${randomUUID()}`);
	try {
		const { bytes, sha256 } = await receive(given.content, arriving);
		if (bytes === 0) return refuse('The file is empty.');
		await rename(arriving, imagePath(sha256));
		const id = uuid();
		await database().transaction(async (trx) => {
			await trx('image').insert({
				id,
				firmware_line: given.firmwareLine,
				version: given.version,
				file_name: given.fileName.slice(0, 200),
				bytes,
				sha256
			});
			await enterInLedger(trx, actor, [
				{
					act: 'upload image',
					customerId: null,
					subjectKind: 'image',
					subjectId: id,
					words: `Image ${given.firmwareLine} ${given.version} uploaded.`,
					detail: { sha256: sha256.toString('hex'), bytes }
				}
			]);
			await notify(trx, 'images', null, [id]);
		});
		return done({ id });
	} catch (error) {
		if (error instanceof TooLarge) return refuse('The file is larger than 512 MB. Nothing was kept.');
		if (isRefusal(error)) return refuse(`Version ${given.version} of ${given.firmwareLine} is already here.`);
		throw error;
	} finally {
		await rm(arriving, { force: true });
	}
}

class TooLarge extends Error {}

async function receive(content: Readable, path: string): Promise<{ bytes: number; sha256: Buffer }> {
	const hash = createHash('sha256');
	let bytes = 0;
	const meter = async function* (chunks: AsyncIterable<Uint8Array>) {
		for await (const chunk of chunks) {
			bytes += chunk.length;
			if (bytes > LARGEST_IMAGE_BYTES) throw new TooLarge();
			hash.update(chunk);
			yield chunk;
		}
	};
	// What is left of a body that is refused is dropped by the server: destroying it would destroy the answer
	await pipeline(content.iterator({ destroyOnReturn: false }), meter, createWriteStream(path));
	return { bytes, sha256: hash.digest() };
}
