import type { PhotoRead, PhotoToRead } from './reader.worker';

let worker: Worker | undefined;
let last = 0;

/** Reads the codes on a photo in a worker, which is started when it is first needed and kept. */
export function readPhoto(photo: Blob): Promise<PhotoRead> {
	worker ??= new Worker(new URL('./reader.worker.ts', import.meta.url), { type: 'module' });
	const own = worker;
	const id = ++last;
	return new Promise((resolve, reject) => {
		const hear = ({ data }: MessageEvent<PhotoRead>) => {
			if (data.id !== id) return;
			own.removeEventListener('message', hear);
			resolve(data);
		};
		own.addEventListener('message', hear);
		own.addEventListener('error', () => reject(new Error('The reader could not be started.')), {
			once: true
		});
		own.postMessage({ id, photo } satisfies PhotoToRead);
	});
}

const DARK = 0.2;

/** Why a photo could not be read, and what to do, in words. */
export const whyNotRead = ({ problem, brightness }: PhotoRead): string =>
	problem === 'no image'
		? 'This is no photo that can be opened.'
		: brightness < DARK
			? 'It is too dark to read. Turn on a light, or type the end of the serial number.'
			: 'No code can be made out. Come nearer, hold it level and still, or type the end of the serial number.';
