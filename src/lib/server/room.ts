import { statfsSync } from 'node:fs';

/** Room on a disk, in octets: what is free, and all that there is. */
export interface Room {
	readonly free: number;
	readonly all: number;
	/** So little is left that somebody should make room. */
	readonly isScarce: boolean;
}
const SCARCE = 0.1;

/** Room on the disk of a folder, such as the one with keys, images and the private database. */
export function roomAt(folder: string, look = statfsSync): Room {
	const { bavail, blocks, bsize } = look(folder);
	return { free: bavail * bsize, all: blocks * bsize, isScarce: bavail / blocks < SCARCE };
}
