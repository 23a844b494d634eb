interface Asked {
	query(sql: string): Promise<{ readonly rows: readonly unknown[] }>;
}

/** So often it is looked what time it is: between two looks a steady clock counts, which drifts and stands still in a suspended machine. */
const LOOK_AGAIN_MS = 20_000;
/** A time that took longer to get says too little. */
const LONGEST_MS = 1_000;

/** The last look; null before the first, when there is nothing better than the machine's own clock. */
let read: { readonly at: number; readonly steady: number } | null = null;

/**
 * The database's time in milliseconds since the epoch. Whatever is stored or compared beside the database's own `now()` goes by
 * this one clock, on however many machines the application runs: one whose own clock is wrong, or jumps, changes nothing.
 */
export const timeNow = (): number =>
	read ? Math.round(read.at + performance.now() - read.steady) : Date.now();

/** When it was looked last, by the steady clock, however that went. */
let looked = -Infinity;
/** Whether it is time to look again. */
export const isClockOld = (): boolean => performance.now() - looked > LOOK_AGAIN_MS;

/** Asks the database what time it is, over a connection that nothing else uses at the moment. */
export async function readClock(connection: Asked): Promise<void> {
	const asked = (looked = performance.now());
	const { rows } = await connection.query(
		'select extract(epoch from clock_timestamp())::float8 * 1000 as at'
	);
	const took = performance.now() - asked;
	if (took > LONGEST_MS && read) return;
	read = { at: (rows[0] as { at: number }).at, steady: asked + took / 2 };
}
