/** A field whose name says that it is secret, until fields have types of their own. */
export const isSecretName = (name: string): boolean => /secret|password/.test(name);

export const MASK = '••••••';

/** The statement that follows a word such as `secret` or `"password":`. */
const SECRET_STATEMENT = /((?:secret|password)"?\s*:?[ \t]+)("(?:[^"\\\n]|\\.)*"|[^\s,;]+)/gi;

/** A configuration as people may see it: what follows a word for a secret is masked, the rest is untouched. */
export const maskSecrets = (text: string): string => text.replace(SECRET_STATEMENT, `$1${MASK}`);

/** Where the secrets of a configuration stand that follow a word for one. */
export const secretPlaces = (text: string): { readonly from: number; readonly to: number }[] =>
	[...text.matchAll(SECRET_STATEMENT)].map(({ index, 0: whole, 1: before }) => ({
		from: index + before!.length,
		to: index + whole.length
	}));
