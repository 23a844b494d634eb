/**
 * A customer's mark on paper: PNG (W3C PNG specification, third edition) or JPEG (ITU-T T.81), known by its first octets,
 * never by what its file is called. A drawing (SVG) is a document that can hold programs and links: it is refused.
 */
export const LARGEST_PICTURE = 200 * 1024;
/** In dots, each way. */
const MOST_DOTS = 1_500;

export type PictureKind = 'image/png' | 'image/jpeg';
export type PictureReading =
	| { readonly ok: true; readonly kind: PictureKind; readonly width: number; readonly height: number }
	| { readonly ok: false; readonly problem: string };

const refused = (problem: string): PictureReading => ({ ok: false, problem });
const BROKEN = 'This picture is broken. Save it again as PNG.';

/** What a picture says of itself; its dots are not looked at. Linear in its size. */
export function readPicture(content: Uint8Array): PictureReading {
	if (content.length > LARGEST_PICTURE) return refused('At most 200 kB.');
	const size = isPng(content) ? pngSize(content) : isJpeg(content) ? jpegSize(content) : undefined;
	if (size === undefined) return refused('Only PNG and JPEG: other files can hold more than a picture.');
	if (size === null || size.width === 0 || size.height === 0) return refused(BROKEN);
	if (size.width > MOST_DOTS || size.height > MOST_DOTS)
		return refused(`At most ${MOST_DOTS.toLocaleString('en')} dots in width and in height.`);
	return { ok: true, kind: isPng(content) ? 'image/png' : 'image/jpeg', ...size };
}

interface Size {
	readonly width: number;
	readonly height: number;
}

const PNG = [0x89, 0x50, 0x4e, 0x47, 0x0d, 0x0a, 0x1a, 0x0a];
const isPng = (content: Uint8Array): boolean => PNG.every((octet, at) => content[at] === octet);
const isJpeg = (content: Uint8Array): boolean =>
	content[0] === 0xff && content[1] === 0xd8 && content[2] === 0xff;

const view = (content: Uint8Array): DataView =>
	new DataView(content.buffer, content.byteOffset, content.byteLength);

/** IHDR is the first chunk (section 11.2.1). */
function pngSize(content: Uint8Array): Size | null {
	if (content.length < 33 || String.fromCharCode(...content.subarray(12, 16)) !== 'IHDR') return null;
	const read = view(content);
	return { width: read.getUint32(16), height: read.getUint32(20) };
}

/** A frame header (SOF, section B.2.2) says it; not the tables between, nor markers without a length. */
function jpegSize(content: Uint8Array): Size | null {
	const read = view(content);
	for (let at = 2; at + 9 <= content.length;) {
		if (content[at] !== 0xff) return null;
		const marker = content[at + 1]!;
		if (marker === 0xff) {
			at++;
			continue;
		}
		const isFrame = marker >= 0xc0 && marker <= 0xcf && ![0xc4, 0xc8, 0xcc].includes(marker);
		if (isFrame) return { height: read.getUint16(at + 5), width: read.getUint16(at + 7) };
		const length = read.getUint16(at + 2);
		if (length < 2 || marker === 0xda) return null;
		at += 2 + length;
	}
	return null;
}

/** The dots of a PNG as its header says: what they unpack to, in octets (section 7.2, with a filter's octet for each line). */
export function unpackedLength(content: Uint8Array): number {
	const { width, height } = pngSize(content)!;
	const [depth, colour, interlaced] = [content[24]!, content[25]!, content[28]!];
	const channels = { 0: 1, 2: 3, 3: 1, 4: 2, 6: 4 }[colour] ?? 4;
	const lines = (wide: number, high: number) =>
		wide === 0 ? 0 : high * (1 + Math.ceil((wide * channels * depth) / 8));
	if (interlaced === 0) return lines(width, height);
	// Adam7: seven smaller pictures (section 8.1)
	const passes = [[0, 0, 8, 8], [4, 0, 8, 8], [0, 4, 4, 8], [2, 0, 4, 4], [0, 2, 2, 4], [1, 0, 2, 2], [0, 1, 1, 2]] as const; // prettier-ignore
	return passes.reduce(
		(sum, [x, y, dx, dy]) =>
			sum + lines(Math.ceil(Math.max(0, width - x) / dx), Math.ceil(Math.max(0, height - y) / dy)),
		0
	);
}

/** The packed dots of a PNG: what its IDAT chunks hold; null where they do not lie as they should. */
export function packedDots(content: Uint8Array): Uint8Array[] | null {
	const read = view(content);
	const parts: Uint8Array[] = [];
	for (let at = 8; at + 12 <= content.length;) {
		const length = read.getUint32(at);
		const kind = String.fromCharCode(...content.subarray(at + 4, at + 8));
		if (at + 12 + length > content.length) return null;
		if (kind === 'IDAT') parts.push(content.subarray(at + 8, at + 8 + length));
		if (kind === 'IEND') return parts.length > 0 ? parts : null;
		at += 12 + length;
	}
	return null;
}
