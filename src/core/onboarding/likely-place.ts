/** An open position that a caller's model suits, and what speaks for it. */
export interface PlaceClues {
	/** Units of the same batch that are bound at its site. */
	readonly siblings: number;
	/** The site's appointment, in milliseconds since 1970; null when none is agreed. */
	readonly appointmentAt: number | null;
	/** Whether no other open position suits. */
	readonly only: boolean;
}

const HOUR = 3_600_000;
/** An appointment further from now than this says nothing about who calls now. */
const NEAR_HOURS = 36;

/**
 * Why a caller most likely belongs to a position, in words; null when nothing speaks for it. What is
 * strongest is said first. Law: with more siblings, or an appointment nearer to now, it never becomes null.
 */
export function whyThere({ siblings, appointmentAt, only }: PlaceClues, now: number): string | null {
	const reasons: string[] = [];
	if (siblings > 0)
		reasons.push(
			siblings === 1
				? 'another unit of its batch is bound there'
				: `${siblings} others of its batch are bound there`
		);
	if (appointmentAt !== null && Math.abs(appointmentAt - now) <= NEAR_HOURS * HOUR)
		reasons.push(`its appointment is ${distance(appointmentAt - now)}`);
	if (only) reasons.push('no other open position suits it');
	return reasons.length === 0 ? null : reasons.join('; ');
}

function distance(milliseconds: number): string {
	const hours = Math.round(Math.abs(milliseconds) / HOUR);
	const span = hours === 0 ? 'within the hour' : hours === 1 ? 'an hour' : `${hours} hours`;
	return hours === 0 ? span : milliseconds > 0 ? `in ${span}` : `${span} ago`;
}
