import { deflateRawSync, inflateRawSync } from 'node:zlib';

/** DEFLATE (RFC 1951) looks back no further; of a longer neighbour its end is what is shared. In octets. */
const WINDOW = 32 * 1024;
const dictionaryOf = (text: string): Buffer => Buffer.from(text).subarray(-WINDOW);

/** A text, compressed: by itself, or against the version after it, which it mostly repeats. */
export const packed = (text: string, next: string | null): Buffer =>
	deflateRawSync(Buffer.from(text), { level: 9, ...(next !== null && { dictionary: dictionaryOf(next) }) });

export const unpacked = (bytes: Buffer, next: string | null): string =>
	inflateRawSync(bytes, { ...(next !== null && { dictionary: dictionaryOf(next) }) }).toString();

/** Every so many versions one stands by itself: reading an old one goes through no more. */
export const WHOLE_EVERY = 32;
