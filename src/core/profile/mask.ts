/** What makers call secrets, in statements and as names. */
export const SECRET_WORDS = 'secret|password|passphrase|passwd|community|psk|pre[-_]shared[-_]key';
const SECRET_NAME = new RegExp(`secret|password|(?<![a-z])(?:${SECRET_WORDS})(?![a-z])`);

/** A field whose name says that it is secret, until fields have types of their own; in small letters. */
export const isSecretName = (name: string): boolean => SECRET_NAME.test(name);

export const MASK = '••••••';

/** The statement that follows a word such as `secret` or `"password":`; a number before it says how it is written. */
const SECRET_STATEMENT = new RegExp(
	`((?:secret|password|(?<![a-z])(?:${SECRET_WORDS}))"?\\s*:?[ \\t]+(?:\\d{1,2}[ \\t]+(?=[^\\s,;]))?)("(?:[^"\\\\\\n]|\\\\.)*"|[^\\s,;]+)`,
	'gi'
);

/** A configuration as people may see it: what follows a word for a secret is masked, the rest is untouched. */
export const maskSecrets = (text: string): string => text.replace(SECRET_STATEMENT, `$1${MASK}`);

/** Where the secrets of a configuration stand that follow a word for one. */
export const secretPlaces = (text: string): { readonly from: number; readonly to: number }[] =>
	[...text.matchAll(SECRET_STATEMENT)].map(({ index, 0: whole, 1: before }) => ({
		from: index + before!.length,
		to: index + whole.length
	}));
