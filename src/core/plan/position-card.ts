/**
 * A position's card: what its code says. It is an address that leads to the position, so that any camera
 * opens it; a hand scanner types it, whatever its keyboard makes of `:` and `/`.
 */
const CARD = /(?:^|[^0-9a-z])at[^0-9a-z]([0-9a-f]{32})$/i;

/** The address on a position's card. `base` is where the application is reached, without `/` at the end. */
export const writePositionCard = (base: string, positionId: string): string =>
	`${base}/sites/at/${positionId.replaceAll('-', '')}`;

/**
 * The id of the position whose card was scanned; null for all that is no card.
 * Law: what was written is read, for every base.
 */
export function readPositionCard(text: string): string | null {
	const digits = CARD.exec(text.trim())?.[1]?.toLowerCase();
	return digits
		? `${digits.slice(0, 8)}-${digits.slice(8, 12)}-${digits.slice(12, 16)}-${digits.slice(16, 20)}-${digits.slice(20)}`
		: null;
}
