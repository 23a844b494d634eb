import { readPositionCard } from '$core/plan';
import { ROOMS } from './rooms';

/** A scanner types a whole label faster than any person, and ends with Enter. */
const SCANNER_MS = 40;
const SHORTEST_SCAN = 6;

export interface Doing {
	readonly find: () => void;
	readonly help: () => void;
	readonly go: (href: string) => void;
	readonly scanned: (text: string) => void;
}

/** Handles the keys of the whole application; returns the listener for `keydown` on the window. */
export function shellKeys(doing: Doing): (event: KeyboardEvent) => void {
	let burst = '';
	let last = 0;
	/** Whether the key before was `g`. Some people need time between two keys, so that alone ends with the next. */
	let afterG = false;
	let chord: ReturnType<typeof setTimeout> | undefined;
	return (event) => {
		clearTimeout(chord);
		if (event.ctrlKey || event.metaKey || event.altKey || event.isComposing) return;
		const target = event.target as HTMLElement | null;
		const writing = target?.closest('input, textarea, select, [contenteditable]') != null;
		const quick = event.timeStamp - last < SCANNER_MS;
		last = event.timeStamp;
		if (event.key === 'Enter') {
			// In a field the field itself gets what was scanned
			if (!writing && quick && burst.length >= SHORTEST_SCAN) {
				event.preventDefault();
				doing.scanned(burst);
			}
			burst = '';
			afterG = false;
			return;
		}
		// What is typed into a field is the field's, and a scanner presses nothing but letters and their capitals
		if (writing || (event.key.length > 1 && event.key !== 'Shift')) burst = '';
		else if (event.key.length === 1) burst = quick ? burst + event.key : event.key;
		// Two keys may be struck together, or come together on a busy machine; a scanner’s go on
		const room = ROOMS.find(({ key }) => burst === `g${key}`);
		if (room && !writing) chord = setTimeout(() => doing.go(room.href), 2 * SCANNER_MS);
		const wasAfterG = afterG;
		if (event.key !== 'Shift') afterG = event.key === 'g' && !writing;
		if (writing || burst.length > 1) return;
		if (event.key === '/') {
			event.preventDefault();
			doing.find();
		} else if (event.key === '?') doing.help();
		else if (wasAfterG) {
			const chosen = ROOMS.find(({ key }) => key === event.key);
			if (chosen) doing.go(chosen.href);
		}
	};
}

/**
 * Where a scan leads. A position's card scanned while a unit is on the screen, or a unit's label while an
 * open position is, brings both together: one more Enter binds.
 */
export function afterScan(text: string, here: URL): string {
	const card = readPositionCard(text);
	if (card && /^\/units\/[^/]+$/.test(here.pathname)) return `${here.pathname}?to=${card}`;
	const position = /^\/sites\/[^/]+$/.test(here.pathname) ? here.searchParams.get('position') : null;
	return `/find?scan=1&q=${encodeURIComponent(text)}${position ? `&to=${position}` : ''}`;
}
