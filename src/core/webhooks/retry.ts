/**
 * What an answer to an event means. 'taken': it has it. 'refused': it will never take this one. 'gone': it wants no more
 * (HTTP's 410). 'later': it is to be told again; also where the address is wrong, which somebody can put right.
 */
export type Answered = 'taken' | 'refused' | 'gone' | 'later';

/** Answers that are about the event, not about who tells it, or where. */
const OF_THE_EVENT = [400, 413, 415, 422];
export function answered(status: number): Answered {
	if (status >= 200 && status < 300) return 'taken';
	if (status === 410) return 'gone';
	return OF_THE_EVENT.includes(status) ? 'refused' : 'later';
}

const FIRST_MS = 5_000;
const LONGEST_MS = 3_600_000;
/** How long to wait after so many failures on end, at least one: twice as long each time, an hour at most. */
export const pauseAfter = (failures: number): number =>
	Math.min(LONGEST_MS, FIRST_MS * 2 ** Math.min(failures - 1, 20));

/** An event that was not taken for so long is given up. */
export const GIVEN_UP_AFTER_MS = 3 * 24 * 3_600_000;
