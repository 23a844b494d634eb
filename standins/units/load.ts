import { createHash } from 'node:crypto';
import type { PortState } from '../network/station';

/**
 * How a unit does: what its processor, its memory and its ports carry follows the hours in which its place is open, its
 * own size, and chance. The same unit does the same at the same moment, whoever asks, so that the past can be told too.
 */
export interface Condition {
	/** Of 100. */
	readonly processor: number;
	readonly memory: number;
	/** In °C. */
	readonly temperature: number;
	/** At its radios. */
	readonly clients: number;
	/** In dBm. */
	readonly signal: number;
}
export interface Traffic {
	/** In octets since it was started. */
	readonly received: number;
	readonly sent: number;
	readonly errors: number;
}
/** Chance and the hours change this often. */
const STEP_MS = 5 * 60_000;
const HOUR_MS = 3_600_000;
/** New Zealand's winter time: the made-up world needs no daylight saving. */
const ZONE_MS = 12 * HOUR_MS;
/** How busy a place is in each hour of its day, of 1. */
const HOURS = [
	...[0.04, 0.03, 0.03, 0.03, 0.05, 0.12, 0.25, 0.45, 0.75, 0.95, 1, 0.95],
	...[0.8, 0.9, 1, 0.95, 0.85, 0.65, 0.4, 0.3, 0.25, 0.18, 0.1, 0.06]
];
const WEEKEND = 0.45;

/** Chance from 0 to 1, the same for the same words. */
const chance = (...words: readonly (string | number)[]): number =>
	createHash('md5').update(words.join(' ')).digest().readUInt32BE() / 2 ** 32;

const busyAt = (at: number): number => {
	const local = at + ZONE_MS;
	const hour = (local / HOUR_MS) % 24;
	const [before, after] = [HOURS[Math.floor(hour)]!, HOURS[Math.floor(hour + 1) % 24]!];
	const day = new Date(local).getUTCDay();
	return (before + (after - before) * (hour % 1)) * (day === 0 || day === 6 ? WEEKEND : 1);
};

/** How busy a unit is, by its place's hours and by chance. */
const busyness = (serial: string, at: number): number =>
	busyAt(at) * (0.7 + 0.6 * chance(serial, 'busy', Math.floor(at / STEP_MS)));

export function conditionAt(serial: string, at: number): Condition {
	const busy = busyness(serial, at);
	const own = (what: string) => chance(serial, what);
	const now = (what: string) => chance(serial, what, Math.floor(at / STEP_MS)) - 0.5;
	const round = (value: number) => Math.round(value * 10) / 10;
	return {
		processor: round(
			Math.min(99, 4 + own('processor') * 10 + busy * (20 + own('size') * 25) + now('processor') * 3)
		),
		memory: round(Math.min(97, 25 + own('memory') * 30 + busy * 12 + now('memory') * 2)),
		temperature: round(31 + own('warm') * 12 + busy * 9 + now('temperature')),
		clients: Math.round(busy * (6 + own('clients') * 26)),
		signal: Math.round(-72 - own('signal') * 24 + now('signal') * 4)
	};
}

/** What a port carries, in bit/s each way. */
export function rateAt(
	serial: string,
	port: string,
	at: number
): { readonly received: number; readonly sent: number } {
	const busy = busyness(serial, at);
	const size = 2e6 + chance(serial, port, 'size') * 3e7;
	return {
		received: size * (0.01 + busy),
		sent: size * (0.005 + busy * (0.15 + 0.2 * chance(serial, port, 'up')))
	};
}

interface Meter {
	at: number;
	received: number;
	sent: number;
	errors: number;
}
/** One port in so many is a little damaged. */
const DAMAGED = 0.06;
const BITS = 8;

/** What a unit's ports have carried since it was started; a port that is down carries nothing. */
export class Meters {
	private readonly meters = new Map<string, Meter>();
	constructor(
		private readonly serial: string,
		readonly startedAt: number
	) {}

	/** In seconds. */
	uptime = (now: number): number => Math.max(0, Math.floor((now - this.startedAt) / 1000));

	read({ port, isUp }: PortState, now: number): Traffic {
		const meter = this.meters.get(port) ?? { at: this.startedAt, received: 0, sent: 0, errors: 0 };
		this.meters.set(port, meter);
		while (meter.at < now) {
			const until = Math.min(now, (Math.floor(meter.at / STEP_MS) + 1) * STEP_MS);
			const seconds = (until - meter.at) / 1000;
			if (isUp) {
				const rate = rateAt(this.serial, port, meter.at);
				meter.received += (rate.received * seconds) / BITS;
				meter.sent += (rate.sent * seconds) / BITS;
				if (chance(this.serial, port, 'damaged') < DAMAGED)
					meter.errors += chance(this.serial, port, 'errors', meter.at) * seconds;
			}
			meter.at = until;
		}
		const whole = (value: number) => Math.floor(value);
		return { received: whole(meter.received), sent: whole(meter.sent), errors: whole(meter.errors) };
	}
}
