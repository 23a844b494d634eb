import { counted } from '../text';

/** How far a piece of long work is. */
export interface Progress {
	readonly state: 'under way' | 'done' | 'cancelled';
	readonly total: number;
	readonly done: number;
	readonly failed: number;
}

/** What stands of it in one sentence, for a bar and a list alike. */
export function progressWords({ state, total, done, failed }: Progress): string {
	const of = `${done + failed} of ${total}`;
	const badly = failed === 0 ? '' : `, ${failed} not`;
	if (state === 'under way') return `${of}${badly === '' ? '' : `${badly} done`}`;
	if (state === 'cancelled')
		return `cancelled after ${of}: ${counted(done, 'is', 'are')} done${badly}, the rest is as it was`;
	return failed === 0 ? `all ${total} done` : `${done} of ${total} done, ${failed} not`;
}

/** Between 0 and 1. */
export const shareOf = ({ total, done, failed }: Progress): number => (done + failed) / total;
