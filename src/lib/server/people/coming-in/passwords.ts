import { hash, verify } from '@node-rs/argon2';
import pLimit from 'p-limit';

/** argon2id with the second recommended setting of RFC 9106, section 4: for when memory is short. */
const OPTIONS = { memoryCost: 64 * 1024, timeCost: 3, parallelism: 4 } as const;
const SHORTEST = 12;
const LONGEST = 200;

/** One sentence why a password will not do; null when it will. */
export function passwordProblem(password: string, email: string): string | null {
	if (password.length < SHORTEST)
		return `A password has ${SHORTEST} characters or more; a short sentence is good.`;
	if (password.length > LONGEST) return `A password has ${LONGEST} characters at most.`;
	if (new Set(password).size < 5) return 'This password repeats the same few characters.';
	const [name] = email.toLowerCase().split('@');
	if (name && name.length > 3 && password.toLowerCase().includes(name))
		return 'A password does not hold the e-mail address.';
	return null;
}

/** Each takes 64 MB and all cores for a moment: a few at once, and not more waiting than would be worth it. */
const inTurn = pLimit(2);
const MOST_WAITING = 40;

/** So many people sign in, or guess, that no more can be looked at just now. */
export class Busy extends Error {
	constructor() {
		super('Many people sign in at this moment. Try again in a few seconds.');
	}
}

function takeTurn<Result>(work: () => Promise<Result>): Promise<Result> {
	if (inTurn.pendingCount >= MOST_WAITING) return Promise.reject(new Busy());
	return inTurn(work);
}

/** Rejects with `Busy` when too many wait. */
export const hashPassword = (password: string): Promise<string> => takeTurn(() => hash(password, OPTIONS));

let nobodys: Promise<string> | undefined;

/** Takes as long for somebody who does not exist, or has no password yet, as for anybody else. Rejects with `Busy`. */
export async function passwordHolds(stored: string | null, password: string): Promise<boolean> {
	const against = stored ?? (await (nobodys ??= hash('nobody has this one', OPTIONS)));
	const holds = await takeTurn(() => verify(against, password));
	return holds && stored !== null;
}
