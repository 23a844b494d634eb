/** How many units a cohort had on a day. */
export interface SizeOnDay {
	/** In days since the epoch. */
	readonly day: number;
	readonly units: number;
}

/** So many days back a trend is looked for. */
const LOOKED_BACK_DAYS = 21;
const FEWEST_DAYS = 4;

/**
 * The day on which a shrinking cohort will be empty if it goes on as in the last three weeks: where the line of least
 * squares through its sizes meets zero. Null while it is empty, does not shrink, or was counted on fewer than four days; and
 * where that would be more than ten years away. `sizes`: in order of their days.
 */
export function emptyBy(sizes: readonly SizeOnDay[]): number | null {
	const last = sizes.at(-1);
	if (!last || last.units === 0) return null;
	const some = sizes.filter(({ day }) => day > last.day - LOOKED_BACK_DAYS);
	if (some.length < FEWEST_DAYS) return null;
	const mean = (of: (one: SizeOnDay) => number) => some.reduce((sum, one) => sum + of(one), 0) / some.length;
	const [day, units] = [mean((one) => one.day), mean((one) => one.units)];
	const spread = some.reduce((sum, one) => sum + (one.day - day) ** 2, 0);
	const slope = some.reduce((sum, one) => sum + (one.day - day) * (one.units - units), 0) / spread;
	if (!(slope < 0)) return null;
	const end = Math.ceil(Math.max(last.day + 1, day - units / slope));
	return end - last.day > 3_650 ? null : end;
}
