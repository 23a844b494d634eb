import { statfsSync } from 'node:fs';
import { currentSettings } from './settings';

/** Room, in octets, on the disk where keys, images and the private database are: what is free, and all that there is. */
export function roomOnDisk(): { readonly free: number; readonly all: number } {
	const { bavail, blocks, bsize } = statfsSync(currentSettings().LIMEN_STATE_DIR);
	return { free: bavail * bsize, all: blocks * bsize };
}
