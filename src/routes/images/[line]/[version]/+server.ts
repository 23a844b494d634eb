import { createReadStream } from 'node:fs';
import { stat } from 'node:fs/promises';
import { Readable } from 'node:stream';
import { error } from '@sveltejs/kit';
import parseRange from 'range-parser';
import { findImage, imagePath, VERSION_FORM } from '$lib/server/firmware';
import type { RequestHandler } from './$types';

/** A firmware image, whole or a range of it (RFC 9110 section 14), so that a broken download can go on. */
export const GET: RequestHandler = async ({ params, request }) => {
	if (!VERSION_FORM.test(params.version)) error(404, 'There is no such image.');
	const image = await findImage(params.line, params.version);
	if (!image) error(404, 'There is no such image.');
	const path = imagePath(image.sha256);
	const size = await stat(path).then(
		(file) => file.size,
		() => null
	);
	if (size === null) error(404, 'The file of this image is missing; upload it again.');
	const etag = `"${image.sha256.toString('hex')}"`;
	const headers = new Headers({ 'content-type': 'application/octet-stream', 'accept-ranges': 'bytes', etag });
	const range = request.headers.get('range');
	const condition = request.headers.get('if-range');
	const ranges = range && (condition === null || condition === etag) ? parseRange(size, range) : -2;
	if (ranges === -1)
		return new Response(null, { status: 416, headers: { 'content-range': `bytes */${size}` } });
	// Malformed, of another unit or several ranges at once: the whole is a valid answer
	const part = Array.isArray(ranges) && ranges.type === 'bytes' && ranges.length === 1 ? ranges[0]! : null;
	const { start, end } = part ?? { start: 0, end: size - 1 };
	headers.set('content-length', String(end - start + 1));
	if (part) headers.set('content-range', `bytes ${start}-${end}/${size}`);
	const body = Readable.toWeb(createReadStream(path, { start, end })) as ReadableStream;
	return new Response(body, { status: part ? 206 : 200, headers });
};
