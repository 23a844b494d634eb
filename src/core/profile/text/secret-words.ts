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

/** Where what follows a word for a secret stands. */
export const namedPlaces = (text: string): readonly Span[] =>
	[...text.matchAll(SECRET_STATEMENT)].map(({ index, 0: whole, 1: before }) => ({
		from: index + before!.length,
		to: index + whole.length
	}));

/** A piece of a text, in characters from its beginning. */
export interface Span {
	readonly from: number;
	readonly to: number;
}
