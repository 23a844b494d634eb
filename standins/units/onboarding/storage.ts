import { unzipSync } from 'fflate';
import { BUNDLE_FILES, folderOf } from '../../../src/core/bootstrap';
import type { Given } from './trust';

/** What is on a stick: files by name. */
export type Storage = ReadonlyMap<string, Uint8Array>;
export const filesIn = (zip: Uint8Array): Storage => new Map(Object.entries(unzipSync(zip)));

/** The artifacts for a unit (RFC 8572 section 4.1): beside each other, or in a folder of its serial number; null where there are none. */
export function artifactsFor(storage: Storage, serial: string): Given | null {
	for (const folder of [folderOf(serial, 1), folderOf(serial, 2)]) {
		const read = (name: string) => {
			const octets = storage.get(`${folder}${name}`);
			return octets && Buffer.from(octets).toString('base64');
		};
		const conveyed = read(BUNDLE_FILES['conveyed-information']);
		if (conveyed !== undefined)
			return {
				'conveyed-information': conveyed,
				'owner-certificate': read(BUNDLE_FILES['owner-certificate']),
				'ownership-voucher': read(BUNDLE_FILES['ownership-voucher'])
			};
	}
	return null;
}
