import { hourOf } from '../text';

/** When something is expected to be done: moments in milliseconds since the epoch; half by `median`, nine of ten by `latest`. */
export interface Ends {
	readonly soonest: number;
	readonly median: number;
	readonly latest: number;
}

const MINUTE = 60_000;
/** What is nearer is told by how long it still takes, the rest by the clock. */
const NEAR = 10 * MINUTE;

/**
 * When it is done, as one would say it: `done in about 4 min, in 9 min at the latest`, `done about 15:20, at the latest
 * 15:50`. `zone`: the place's time zone; that of whoever reads where it is left out.
 */
export function endsWords({ median, latest }: Ends, now: number, zone?: string): string {
	if (latest <= now) return 'should be done by now';
	if (latest - now < NEAR) {
		const [about, most] = [span(Math.max(0, median - now)), span(latest - now)];
		return about === most ? `done within ${most}` : `done in about ${about}, in ${most} at the latest`;
	}
	return `done about ${hourOf(Math.max(median, now), zone)}, at the latest ${hourOf(latest, zone)}`;
}

/** How far it has come of what it is expected to take, from 0 to 1; never quite there before it is. */
export const shareDone = (from: number, { median }: Ends, now: number): number =>
	Math.max(0, Math.min(0.98, (now - from) / Math.max(1, Math.max(median, now) - from)));

/** `20 s`, `4 min`: rounded up, as nobody wants to be told too soon. Milliseconds. */
export function span(milliseconds: number): string {
	if (milliseconds < 55_000) return `${Math.max(5, Math.ceil(milliseconds / 5_000) * 5)} s`;
	return `${Math.ceil(milliseconds / MINUTE)} min`;
}
