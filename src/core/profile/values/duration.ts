const PARTS: Readonly<Record<string, number>> = { d: 86_400, h: 3_600, m: 60, s: 1 };
const DURATION = /^(?:\d+d)?(?:\d+h)?(?:\d+m)?(?:\d+s)?$/;

/** A duration such as `90s`, `15m`, `1h30m` or `2d` in seconds; null when it is none. Bare numbers are not: of what? */
export function durationSeconds(text: string): number | null {
	if (text === '' || text.length > 24 || !DURATION.test(text)) return null;
	return [...text.matchAll(/(\d+)([dhms])/g)].reduce(
		(sum, [, count, part]) => sum + Number(count) * PARTS[part!]!,
		0
	);
}
