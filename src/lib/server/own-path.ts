/**
 * A path of our own to go on to, from what a link or a form says; `/` for anything that leads elsewhere.
 * Read the way a browser reads it (WHATWG URL): tabs and line breaks vanish, a backslash is a slash, and
 * `/.//elsewhere` becomes `//elsewhere`.
 */
const OWN = 'http://own.invalid';
const LONGEST = 500;

export function ownPath(said: unknown): string {
	if (typeof said !== 'string' || !said.startsWith('/') || said.length > LONGEST) return '/';
	try {
		const { origin, pathname, search, hash } = new URL(said, OWN);
		return origin === OWN && !pathname.startsWith('//') ? pathname + search + hash : '/';
	} catch {
		return '/';
	}
}
