import { RateLimiterPostgres, RateLimiterRes } from 'rate-limiter-flexible';
import { database, runAs, SIGN_IN } from '../database';

/** How often something may be tried, counted in the database for all processes together. */
const MINUTE = 60;

/** The package's own use of Knex takes connections past `WalledClient`; this goes through it. */
const store = {
	query({ text, values }: { text: string; values: readonly unknown[] }) {
		const used: unknown[] = [];
		const sql = text.replace(/\$(\d+)/g, (_, place: string) => {
			used.push(values[Number(place) - 1]);
			return '?';
		});
		return database().raw(sql, used as string[]);
	}
};

const limiter = (keyPrefix: string, points: number, duration: number) =>
	new RateLimiterPostgres({
		storeClient: store,
		storeType: 'client',
		tableName: 'rate_limit',
		tableCreated: true,
		keyPrefix,
		points,
		duration,
		clearExpiredByTimeout: false
	});

let limiters:
	| Record<'person' | 'device' | 'address' | 'letter' | 'letters' | 'serial' | 'caller', RateLimiterPostgres>
	| undefined;
const all = () =>
	(limiters ??= {
		/** Wrong passwords for one e-mail address from devices that never signed in with it. */
		person: limiter('person', 10, 15 * MINUTE),
		/** The same from a device that has: whoever works there is not slowed by a stranger's attempts. */
		device: limiter('device', 10, 15 * MINUTE),
		/** Wrong passwords from strange devices at one network address, whoever's: an office has many people. */
		address: limiter('address', 100, 15 * MINUTE),
		/** Letters asked for to one e-mail address, and from one network address. */
		letter: limiter('letter', 5, 60 * MINUTE),
		letters: limiter('letters', 50, 60 * MINUTE),
		/** Refused calls in the name of one serial number, and from one network address. */
		serial: limiter('serial', 30, MINUTE),
		caller: limiter('caller', 1200, MINUTE)
	});

export type Limit = keyof NonNullable<typeof limiters>;

/** Counts a try; returns the seconds to wait when that was one too many. */
export const countTry = (limit: Limit, key: string): Promise<number> =>
	runAs(SIGN_IN, async () => {
		try {
			await all()[limit].consume(key);
			return 0;
		} catch (refused) {
			if (refused instanceof RateLimiterRes) return Math.ceil(refused.msBeforeNext / 1000);
			throw refused;
		}
	});

/** Takes a counted try back: it was none. */
export const uncountTry = (limit: Limit, key: string): Promise<unknown> =>
	runAs(SIGN_IN, () => all()[limit].reward(key));

export const forgetTries = (limit: Limit, key: string): Promise<unknown> =>
	runAs(SIGN_IN, () => all()[limit].delete(key));
