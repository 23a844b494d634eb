import { gzipSync } from 'node:zlib';
import { error } from '@sveltejs/kit';
import * as v from 'valibot';
import { landAround } from './land';

const degrees = (most: number) =>
	v.pipe(
		v.string(),
		v.trim(),
		v.nonEmpty(),
		v.transform(Number),
		v.finite(),
		v.minValue(-most),
		v.maxValue(most)
	);
const schema = v.object({ latitude: degrees(90), longitude: degrees(180) });
const AROUND = 12;

/** The land around a place, for its map. The same for everybody and for ever. */
export function landResponse(url: URL): Response {
	const parsed = v.safeParse(schema, Object.fromEntries(url.searchParams));
	if (!parsed.success) error(400, 'Which place?');
	const geometries = landAround(parsed.output.latitude, parsed.output.longitude, AROUND);
	return new Response(new Uint8Array(gzipSync(JSON.stringify({ type: 'GeometryCollection', geometries }))), {
		headers: {
			'content-type': 'application/geo+json',
			'content-encoding': 'gzip',
			'cache-control': 'private, max-age=604800, immutable'
		}
	});
}
