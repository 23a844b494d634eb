import { hash, verify } from '@node-rs/argon2';

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

export const hashPassword = (password: string): Promise<string> => hash(password, OPTIONS);

let nobodys: Promise<string> | undefined;

/** Takes as long for somebody who does not exist, or has no password yet, as for anybody else. */
export async function passwordHolds(stored: string | null, password: string): Promise<boolean> {
	const holds = await verify(stored ?? (await (nobodys ??= hashPassword('nobody has this one'))), password);
	return holds && stored !== null;
}
