const DAY_MS = 86_400_000;
/** Told so long before. */
const SOON_DAYS = 14;

/** How a secret stands to its rule. */
export type SecretStanding = 'no rule' | 'in time' | 'soon' | 'due';

/** When a secret has to change, in milliseconds since the epoch; null without a rule. One of unknown age has to change at once. */
export const dueAt = (since: number | null, days: number | null): number | null =>
	days === null ? null : since === null ? 0 : since + days * DAY_MS;

export function standingOf(since: number | null, days: number | null, now: number): SecretStanding {
	const due = dueAt(since, days);
	if (due === null) return 'no rule';
	if (due <= now) return 'due';
	return due <= now + SOON_DAYS * DAY_MS ? 'soon' : 'in time';
}
