import * as v from 'valibot';
import { strokesSchema } from '../../../core/handover';
import { cleanText } from '../../../core/text';
import type { Actor } from '../ledger';

/** Whoever works on site: always a person, never a rule or a program. */
export type Technician = Actor & { readonly personId: string };

const uuid = v.pipe(v.string(), v.uuid(), v.toLowerCase());
/** A phone's clock can be wrong, but not by a lifetime: milliseconds since 1970, until 2100. */
const clock = v.pipe(v.number(), v.minValue(0), v.maxValue(Date.UTC(2100, 0)));
const LARGEST_PHOTO = 1_500_000;
const MOST_ENTRIES = 200;

const text = (most: number) => v.pipe(v.string(), v.maxLength(most), v.transform(cleanText));
/** JPEG (ISO/IEC 10918-1) begins with the marks SOI and the first half of another. */
const isJpeg = (image: Buffer) => image[0] === 0xff && image[1] === 0xd8 && image[2] === 0xff;
const photo = v.pipe(
	v.string(),
	v.maxLength(Math.ceil((LARGEST_PHOTO * 4) / 3) + 4),
	v.base64(),
	v.transform((base64) => Buffer.from(base64, 'base64')),
	v.check((image) => isJpeg(image), 'A photo is a JPEG image.')
);
const common = {
	id: uuid,
	at: clock,
	siteId: uuid
};
const entrySchema = v.variant('kind', [
	v.object({
		...common,
		kind: v.literal('bind'),
		positionId: uuid,
		serial: v.pipe(v.string(), v.regex(/^[0-9A-Z]{6,32}$/))
	}),
	v.object({
		...common,
		kind: v.literal('note'),
		positionId: v.nullable(uuid),
		text: v.pipe(text(2000), v.trim(), v.minLength(1))
	}),
	v.object({
		...common,
		kind: v.literal('photo'),
		positionId: v.nullable(uuid),
		image: photo,
		caption: v.optional(text(200), '')
	}),
	v.object({
		...common,
		kind: v.literal('signature'),
		positionId: v.null(),
		name: v.pipe(text(200), v.trim(), v.minLength(1)),
		strokes: strokesSchema
	})
]);
export type SentEntry = v.InferOutput<typeof entrySchema>;

export const syncSchema = v.object({
	/** The phone's clock now. */
	now: clock,
	entries: v.pipe(v.array(entrySchema), v.maxLength(MOST_ENTRIES))
});
