import { inflateSync } from 'node:zlib';
import { packedDots, readPicture, unpackedLength, type PictureReading } from '../../../core/report';

/**
 * What a picture is, its dots unpacked: to no more than its header says, however much somebody packed into them. Worked
 * beside the main thread.
 */
export function checkPicture(content: Uint8Array): PictureReading {
	const read = readPicture(content);
	if (!read.ok || read.kind !== 'image/png') return read;
	const packed = packedDots(content);
	const expected = unpackedLength(content);
	try {
		if (packed && inflateSync(Buffer.concat(packed), { maxOutputLength: expected }).length === expected)
			return read;
	} catch {
		// More than its header says, or no packed dots at all
	}
	return { ok: false, problem: 'This picture is broken. Save it again as PNG.' };
}
