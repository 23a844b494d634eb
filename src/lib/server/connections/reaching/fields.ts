import ssh2 from 'ssh2';
import * as v from 'valibot';
import { parsePrefix } from '../../../../core/address';
import type { SshLogin, UnitLogin } from '../speaking/ssh';

/** What forms ask for that say how something is reached. */
export const shortText = (most: number, missing?: string) =>
	v.pipe(v.string(missing), v.trim(), v.maxLength(most, `At most ${most} characters.`));
export const portField = v.pipe(
	shortText(5),
	v.regex(/^\d{1,5}$/, 'A port is a number.'),
	v.transform(Number),
	v.minValue(1, 'A port is a number from 1 to 65535.'),
	v.maxValue(65_535, 'A port is a number from 1 to 65535.')
);
export const loginFields = {
	user: shortText(100),
	password: v.optional(v.pipe(v.string(), v.maxLength(500)), ''),
	privateKey: v.optional(v.pipe(v.string(), v.maxLength(20_000)), '')
};
const MOST_RANGES = 100;
export const rangesField = v.pipe(
	shortText(4000, 'Say for which addresses.'),
	v.transform((typed) => typed.split(/[\s,;]+/).filter(Boolean)),
	v.minLength(1, 'Say for which addresses.'),
	v.maxLength(MOST_RANGES, `At most ${MOST_RANGES} ranges.`),
	v.check((all) => all.every((range) => parsePrefix(range) !== null), 'A range looks like 10.20.0.0/16.')
);
/** A login as it was typed. */
export interface TypedLogin {
	readonly user: string;
	readonly password: string;
	readonly privateKey: string;
}
export interface TypedUnitLogin extends TypedLogin {
	readonly privileges: string;
}

/** What is wrong with a login as it was typed; null when it can be tried. */
export function loginProblem({ user, password, privateKey }: TypedLogin) {
	if (user === '') return 'Say as which user.';
	if (password === '' && privateKey === '') return 'Give a password or a private key.';
	if (privateKey !== '' && ssh2.utils.parseKey(privateKey) instanceof Error)
		return 'This private key cannot be read. It has to be one of OpenSSH’s or PEM’s form, without a passphrase.';
	return null;
}
export const loginOf = ({ user, password, privateKey }: TypedLogin): SshLogin => ({
	user,
	...(password !== '' && { password }),
	...(privateKey !== '' && { privateKey })
});
export const unitLogin = (reaching: TypedUnitLogin): UnitLogin => ({
	...loginOf(reaching),
	...(reaching.privileges !== '' && { privileges: reaching.privileges })
});

export const NOT_REACHED_BY_YOU = 'Engineers of this customer say how its units are reached.';
