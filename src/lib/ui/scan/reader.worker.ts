import { prepareZXingModule, readBarcodes, type ReaderOptions } from 'zxing-wasm/reader';
import wasm from 'zxing-wasm/reader/zxing_reader.wasm?url';

/**
 * Reads the codes on a photo of a label, off the page's own thread. A photo is looked at smaller first,
 * which is quick and often enough; then whole; then with its light and dark stretched.
 */
export interface PhotoToRead {
	readonly id: number;
	readonly photo: Blob;
}
export interface PhotoRead {
	readonly id: number;
	readonly codes: readonly string[];
	readonly milliseconds: number;
	/** Why nothing was read; null when something was. */
	readonly problem: 'no image' | 'no code' | null;
	/** How bright it is on the whole, 0 to 1. */
	readonly brightness: number;
}

void prepareZXingModule({
	overrides: {
		locateFile: (path: string, prefix: string) => (path.endsWith('.wasm') ? wasm : prefix + path)
	},
	fireImmediately: true
});

const OPTIONS: ReaderOptions = {
	formats: ['Code128', 'QRCode', 'DataMatrix'],
	tryHarder: true,
	tryRotate: true,
	tryInvert: true,
	tryDownscale: true,
	maxNumberOfSymbols: 8
};
/** Longest side at the first look, and at the most: 12 megapixels are 4000 by 3000. */
const SIDES = [1400, 2600];
const LONGEST_MS = 2_000;

addEventListener('message', ({ data }: MessageEvent<PhotoToRead>) => {
	void read(data).then((answer) => postMessage(answer));
});

async function read({ id, photo }: PhotoToRead): Promise<PhotoRead> {
	const begun = performance.now();
	const answer = (
		codes: readonly string[],
		problem: PhotoRead['problem'],
		brightness: number
	): PhotoRead => ({ id, codes, problem, brightness, milliseconds: performance.now() - begun });
	let bitmap: ImageBitmap;
	try {
		bitmap = await createImageBitmap(photo);
	} catch {
		return answer([], 'no image', 0);
	}
	let brightness = 1;
	for (const side of SIDES)
		for (const stretched of [false, true]) {
			if (performance.now() - begun > LONGEST_MS) return answer([], 'no code', brightness);
			const image = imageOf(bitmap, side);
			brightness = brightnessOf(image);
			if (stretched) stretch(image);
			const codes = (await readBarcodes(image, OPTIONS)).filter(({ isValid }) => isValid);
			if (codes.length > 0) return answer([...new Set(codes.map(({ text }) => text))], null, brightness);
		}
	return answer([], 'no code', brightness);
}

function imageOf(bitmap: ImageBitmap, longest: number): ImageData {
	const scale = Math.min(1, longest / Math.max(bitmap.width, bitmap.height));
	const [width, height] = [Math.round(bitmap.width * scale), Math.round(bitmap.height * scale)];
	const context = new OffscreenCanvas(width, height).getContext('2d', { willReadFrequently: true })!;
	context.imageSmoothingQuality = 'high';
	context.drawImage(bitmap, 0, 0, width, height);
	return context.getImageData(0, 0, width, height);
}

/** Every so many pixels are enough to tell how bright a photo is. */
const STRIDE = 4 * 97;

function brightnessOf({ data }: ImageData): number {
	let sum = 0;
	let count = 0;
	for (let at = 0; at < data.length; at += STRIDE, count++) sum += data[at]! + data[at + 1]! + data[at + 2]!;
	return count === 0 ? 0 : sum / (count * 765);
}

/** Stretches the light of a photo from its darkest to its lightest twentieth. */
function stretch({ data }: ImageData): void {
	const counts = new Uint32Array(256);
	for (let at = 0; at < data.length; at += 4) counts[data[at + 1]!]!++;
	const total = data.length / 4;
	const level = (share: number) => {
		let sum = 0;
		for (let value = 0; value < 256; value++) if ((sum += counts[value]!) >= total * share) return value;
		return 255;
	};
	const [low, high] = [level(0.05), level(0.95)];
	const scale = 255 / Math.max(1, high - low);
	for (let at = 0; at < data.length; at += 4) {
		const grey = Math.max(0, Math.min(255, (data[at + 1]! - low) * scale));
		data[at] = data[at + 1] = data[at + 2] = grey;
	}
}
