import { createHash, randomUUID } from 'node:crypto';
import { createWriteStream } from 'node:fs';
import { mkdir, rename, rm } from 'node:fs/promises';
import { join } from 'node:path';
import type { Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import type { Knex } from 'knex';
import { v7 as uuid } from 'uuid';
import * as v from 'valibot';
import type { KnownImage } from '../../../core/firmware';
import { done, refuse, type Act } from '../act';
import { changing } from '../change';
import { database, isRefusal } from '../database';
import { oneId } from '../forms';
import { enterInLedger, type Actor } from '../ledger';
import { notify } from '../live';
import { sharedRefusal } from '../people';
import { currentSettings } from '../settings';
import { LONGEST_SIGNATURE, SignatureCheck, type Signers } from './signature';

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
	/** SHA-256 of the key that it is signed with; null where it is not signed. */
	readonly signedBy: Buffer | null;
	readonly uploadedAt: Date;
	readonly state: ImageState;
	/** Why it is withdrawn. */
	readonly stateReason: string;
	readonly notes: string;
	/** Counts its changes, so that two people do not write over each other. */
	readonly edit: number;
}
const IMAGE_STATES = ['allowed', 'preferred', 'withdrawn'] as const;
export type ImageState = (typeof IMAGE_STATES)[number];

const images = () =>
	database()('image').select<Image[]>(
		'id', 'firmware_line as firmwareLine', 'version', 'file_name as fileName', database().raw('bytes::float8 as bytes'),
		'sha256', 'signed_by as signedBy', 'uploaded_at as uploadedAt', 'state', 'state_reason as stateReason', 'notes', 'edit'
	); // prettier-ignore

export const allImages = (): Promise<Image[]> =>
	images().orderBy([{ column: 'firmware_line' }, { column: 'uploaded_at', order: 'desc' }]);

export const findImage = async (firmwareLine: string, version: string): Promise<Image | undefined> =>
	(await images().where({ firmware_line: firmwareLine, version }))[0];

/** An image, as far as bringing units to it goes. */
export interface StoredImage extends KnownImage {
	readonly sha256: Buffer;
}

/** All images that there are, by line and version: a unit may need some on its way that no profile names. */
export async function imagesByLine(
	knex: Knex
): Promise<ReadonlyMap<string, ReadonlyMap<string, StoredImage>>> {
	const rows: (StoredImage & { line: string; version: string })[] = await knex('image').select(
		'firmware_line as line',
		'version',
		'sha256',
		knex.raw(`bytes::float8 as bytes, case when state = 'withdrawn' then state_reason end as withdrawn`)
	);
	const found = new Map<string, Map<string, StoredImage>>();
	for (const { line, version, ...image } of rows)
		found.set(line, (found.get(line) ?? new Map<string, StoredImage>()).set(version, image));
	return found;
}

/** The firmware lines of the known models. */
export const firmwareLines = async (): Promise<string[]> =>
	(await database()('model').distinct('firmware_line').orderBy('firmware_line')).map(
		(row) => row.firmware_line
	);

/**
 * Stores an image while it streams in and keeps its hash. Refused: an unknown line, a version that
 * exists already, an empty or too large file, a signature that is not by one of the line's signers, and none where its images
 * have to be signed. Nothing is left behind by a refusal.
 */
export async function uploadImage(
	given: {
		readonly firmwareLine: string;
		readonly version: string;
		readonly fileName: string;
		readonly content: Readable;
		/** Detached, see `SignatureCheck`. */
		readonly signature?: Buffer | null;
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
	const rooms = await roomsOf(given.firmwareLine);
	if (rooms.length === 0) return refuse('No known model has this firmware line.');
	const signers = await signersOf(given.firmwareLine);
	const signature = given.signature ?? null;
	if (signature === null && signers.isRequired)
		return refuse('Images of this line are signed by their maker. Give the signature too.');
	if (signature && signers.keys.length === 0)
		return refuse('The pack of this line names nobody who signs: leave the signature out.');
	if (signature && (signature.length === 0 || signature.length > LONGEST_SIGNATURE))
		return refuse(`A signature has 1 to ${LONGEST_SIGNATURE} octets.`);
	const check = signature && new SignatureCheck(signers, signature);
	if (await findImage(given.firmwareLine, given.version))
		return refuse(`Version ${given.version} of ${given.firmwareLine} is already here.`);
	await mkdir(folder(), { recursive: true });
	const arriving = join(folder(), `arriving-${randomUUID()}`);
	try {
		const { bytes, sha256 } = await receive(given.content, arriving, check);
		if (bytes === 0) return refuse('The file is empty.');
		if (rooms.every((room) => room !== null && room < bytes))
			return refuse('No model of this line has room for an image of this size. Nothing was kept.');
		const signedBy = check?.signer() ?? null;
		if (check && !signedBy)
			return refuse('This signature is not by a signer of this line over this file. Nothing was kept.');
		await rename(arriving, imagePath(sha256));
		const id = uuid();
		await database().transaction(async (trx) => {
			await trx('image').insert({
				id,
				firmware_line: given.firmwareLine,
				version: given.version,
				file_name: given.fileName.slice(0, 200),
				bytes,
				sha256,
				signature,
				signed_by: signedBy
			});
			await enterInLedger(trx, actor, [
				{
					act: 'upload image',
					customerId: null,
					subjectKind: 'image',
					subjectId: id,
					words: `Image ${given.firmwareLine} ${given.version} uploaded${signedBy ? ', signed' : ''}.`,
					detail: { sha256: sha256.toString('hex'), bytes, signedBy: signedBy?.toString('hex') ?? null }
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

/** Who signs the images of a line. */
async function signersOf(firmwareLine: string): Promise<Signers> {
	const { keys, required } = await database()('model')
		.where({ firmware_line: firmwareLine })
		.first('signers as keys', 'is_signed as required');
	return { keys, isRequired: required };
}

/** The lines whose images can be signed. */
export const signedLines = (): Promise<string[]> =>
	database()('model').distinct().where('signers', '<>', '{}').pluck('firmware_line');

/** How many octets of an image the models of a line have room for; null where any that there is. */
const roomsOf = async (firmwareLine: string): Promise<(number | null)[]> =>
	(
		await database()('model')
			.where({ firmware_line: firmwareLine })
			.select(database().raw('room::float8 as room'))
	).map(({ room }) => room);

export const imageStateSchema = v.pipe(
	v.object({
		image: oneId('Which image?'),
		edit: v.pipe(v.string(), v.regex(/^\d{1,9}$/, 'Which image?'), v.transform(Number)),
		state: v.picklist(IMAGE_STATES, 'Allowed, preferred or withdrawn?'),
		reason: v.optional(v.pipe(v.string(), v.trim(), v.maxLength(500, 'At most 500 characters.')), ''),
		notes: v.optional(v.pipe(v.string(), v.trim(), v.maxLength(4000, 'At most 4000 characters.')), '')
	}),
	v.forward(
		v.partialCheck(
			[['state'], ['reason']],
			({ state, reason }) => state !== 'withdrawn' || reason !== '',
			'Say why it is withdrawn: whoever runs it reads that.'
		),
		['reason']
	)
);

/**
 * Says whether an image may be used, and what is to be known of it. Engineers of all customers whose networks follow it
 * may. A withdrawn one is given to no unit any more, under way or not. Refused: when somebody else changed it meanwhile.
 */
export async function setImageState(
	{ image: id, edit, state, reason, notes }: v.InferOutput<typeof imageStateSchema>,
	actor: Actor
): Promise<Act> {
	return changing(async (trx) => {
		const image = await trx('image').where({ id }).first('firmware_line as line', 'version', 'state');
		if (!image) return refuse('There is no such image.');
		const refused = await sharedRefusal(trx, 'upload image', image, actor, 'Images are kept by engineers.');
		if (refused) return refused;
		if (state === 'preferred')
			await trx('image')
				.where({ firmware_line: image.line, state: 'preferred' })
				.whereNot({ id })
				.update({ state: 'allowed' });
		const changed = await trx('image')
			.where({ id, edit })
			.update({ state, state_reason: state === 'withdrawn' ? reason : '', notes, edit: edit + 1 });
		if (changed === 0) return refuse('Somebody changed this image meanwhile. Look again.');
		await enterInLedger(trx, actor, [
			{
				act: 'say of image',
				customerId: null,
				subjectKind: 'image',
				subjectId: id,
				words: `Image ${image.line} ${image.version} is ${state}${state === 'withdrawn' ? `: ${reason}` : ''}.`
			}
		]);
		await notify(trx, 'images', null, [id]);
		return done(undefined);
	});
}

class TooLarge extends Error {}

async function receive(
	content: Readable,
	path: string,
	check: SignatureCheck | null
): Promise<{ bytes: number; sha256: Buffer }> {
	const hash = createHash('sha256');
	let bytes = 0;
	const meter = async function* (chunks: AsyncIterable<Uint8Array>) {
		for await (const chunk of chunks) {
			bytes += chunk.length;
			if (bytes > LARGEST_IMAGE_BYTES) throw new TooLarge();
			hash.update(chunk);
			check?.update(chunk);
			yield chunk;
		}
	};
	// What is left of a body that is refused is dropped by the server: destroying it would destroy the answer
	await pipeline(content.iterator({ destroyOnReturn: false }), meter, createWriteStream(path));
	return { bytes, sha256: hash.digest() };
}
