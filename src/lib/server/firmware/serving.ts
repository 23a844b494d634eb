import { createReadStream } from 'node:fs';
import { stat } from 'node:fs/promises';
import { Readable } from 'node:stream';
import parseRange from 'range-parser';
import { currentSettings } from '../settings';
import { imagePath, type Image } from './library';
import { Pace, paced } from './pace';

/** In all, and for each site that fetches just now. */
const whole = new Pace();
const sites = new Map<string, { readonly pace: Pace; users: number }>();

/**
 * A firmware image, whole or a range of it (RFC 9110, section 14), so that a broken download can go on; no faster than a
 * site's line and Limen's own may be used for it. Null when its file is missing. `siteId`: where it goes, if to a unit.
 */
export async function imageResponse(
	image: Image,
	request: Request,
	siteId: string | null
): Promise<Response | null> {
	const path = imagePath(image.sha256);
	const size = await stat(path).then(
		(file) => file.size,
		() => null
	);
	if (size === null) return null;
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
	const file = createReadStream(path, { start, end, highWaterMark: CHUNK });
	const body = siteId === null ? file : toSite(file, siteId);
	return new Response(Readable.toWeb(body) as ReadableStream, { status: part ? 206 : 200, headers });
}
const CHUNK = 256 * 1024;

/** What goes to a site, at the pace of the site and of all sites together. */
function toSite(file: Readable, siteId: string): Readable {
	const { LIMEN_IMAGE_RATE, LIMEN_IMAGE_SITE_RATE } = currentSettings();
	if (LIMEN_IMAGE_RATE === 0 && LIMEN_IMAGE_SITE_RATE === 0) return file;
	const site = sites.get(siteId) ?? { pace: new Pace(), users: 0 };
	sites.set(siteId, site);
	site.users++;
	const limits = [
		{ pace: site.pace, rate: LIMEN_IMAGE_SITE_RATE * 1024 },
		{ pace: whole, rate: LIMEN_IMAGE_RATE * 1024 }
	].filter(({ rate }) => rate > 0);
	return paced(file, limits, () => {
		if (--site.users === 0) sites.delete(siteId);
	});
}
