import { expect } from 'chai';
import fc from 'fast-check';
import { readPicture, packedDots, unpackedLength } from '.';

const octets = (...parts: (readonly number[] | string)[]) =>
	Uint8Array.from(
		parts.flatMap((part) => (typeof part === 'string' ? [...part].map((one) => one.charCodeAt(0)) : part))
	);
const u32 = (value: number) => [value >>> 24, (value >>> 16) & 255, (value >>> 8) & 255, value & 255];
const SIGNATURE = [0x89, 0x50, 0x4e, 0x47, 0x0d, 0x0a, 0x1a, 0x0a];
const CRC = [0, 0, 0, 0];
const png = (width: number, height: number, { depth = 8, colour = 6, interlaced = 0, dots = [1, 2, 3] } = {}) =>
	octets(
		SIGNATURE,
		u32(13), 'IHDR', u32(width), u32(height), [depth, colour, 0, 0, interlaced], CRC,
		u32(dots.length), 'IDAT', dots, CRC,
		u32(0), 'IEND', CRC
	); // prettier-ignore
const jpeg = (width: number, height: number) =>
	octets([0xff, 0xd8], [0xff, 0xe0, 0, 4, 1, 2], [0xff, 0xc2, 0, 11, 8, height >> 8, height & 255, width >> 8, width & 255, 1, 1, 0x11, 0]); // prettier-ignore

describe('a picture on paper', () => {
	it('is PNG or JPEG by what it is, with its size', () => {
		expect(readPicture(png(320, 80))).to.deep.equal({ ok: true, kind: 'image/png', width: 320, height: 80 });
		expect(readPicture(jpeg(640, 480))).to.deep.equal({
			ok: true,
			kind: 'image/jpeg',
			width: 640,
			height: 480
		});
	});

	it('is refused in words when it is something else, too large, or broken', () => {
		const words = (content: Uint8Array) => {
			const read = readPicture(content);
			return read.ok ? null : read.problem;
		};
		expect(words(octets('<svg xmlns="http://www.w3.org/2000/svg"><script>alert(1)</script></svg>'))).to.match(
			/Only PNG and JPEG/
		);
		expect(words(octets('GIF89a'))).to.match(/Only PNG and JPEG/);
		expect(words(new Uint8Array())).to.match(/Only PNG and JPEG/);
		expect(words(png(50_000, 50_000))).to.match(/At most 1,500 dots/);
		expect(words(jpeg(65_535, 1))).to.match(/At most 1,500 dots/);
		expect(words(png(0, 10))).to.match(/broken/);
		expect(words(octets(SIGNATURE))).to.match(/broken/);
		expect(words(octets([0xff, 0xd8, 0xff, 0xda, 0, 2]))).to.match(/broken/);
		expect(words(new Uint8Array(200 * 1024 + 1))).to.match(/200 kB/);
	});

	it('says what its dots unpack to, whatever their form', () => {
		expect(unpackedLength(png(10, 4))).to.equal(4 * (1 + 40));
		expect(unpackedLength(png(10, 4, { colour: 2 }))).to.equal(4 * (1 + 30));
		expect(unpackedLength(png(10, 4, { colour: 3, depth: 1 }))).to.equal(4 * (1 + 2));
		// The passes of an interlaced picture of 8 by 8 have 1, 1, 1, 2, 2, 4 and 4 lines
		expect(unpackedLength(png(8, 8, { colour: 0, interlaced: 1 }))).to.equal(64 + 15);
		expect(packedDots(png(1, 1))!.map((part) => [...part])).to.deep.equal([[1, 2, 3]]);
		expect(packedDots(png(1, 1).subarray(0, 45))).to.equal(null);
	});

	it('is read to an end, whatever it is', () => {
		const begin = fc.constantFrom(SIGNATURE, [0xff, 0xd8, 0xff], []);
		fc.assert(
			fc.property(begin, fc.uint8Array({ maxLength: 400 }), (head, rest) => {
				const content = octets(head, [...rest]);
				const read = readPicture(content);
				if (read.ok && read.kind === 'image/png') packedDots(content);
				if (!read.ok) expect(read.problem).to.match(/\.$/);
			})
		);
	});
});
