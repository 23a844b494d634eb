/** Values of which more than half are the same are said once. */
const MOST_SHARE = 0.5;

/** What more than half of some values are, two at least; null where there is no such. What is not there counts for nothing. */
export function usualOf(values: readonly (string | null)[]): string | null {
	const counts = new Map<string, number>();
	let there = 0;
	for (const value of values) {
		if (value === null) continue;
		there++;
		counts.set(value, (counts.get(value) ?? 0) + 1);
	}
	for (const [value, count] of counts) if (count > there * MOST_SHARE && count > 1) return value;
	return null;
}
