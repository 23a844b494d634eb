/** A request as its signature covers it (RFC 9421). */
export interface Signed {
	readonly method: string;
	readonly url: string;
	/** By names in small letters. */
	readonly headers: Readonly<Record<string, string>>;
}

/** RFC 9421 section 2.2: what of a request is no header. */
const DERIVED: Readonly<Record<string, (signed: Signed) => string>> = {
	'@method': ({ method }) => method.toUpperCase(),
	// What stands behind `#` is not sent
	'@target-uri': ({ url }) => new URL(url).href.replace(/#.*$/, ''),
	'@authority': ({ url }) => new URL(url).host
};

interface Parameters {
	/** Seconds since 1970. */
	readonly created: number;
	readonly keyId: string;
	readonly algorithm?: 'hmac-sha256';
}

/** RFC 9421 section 2.3: what is covered, and by which key, as it stands in `Signature-Input`. */
export const signatureParameters = (
	covered: readonly string[],
	{ created, keyId, algorithm }: Parameters
): string =>
	`(${covered.map((name) => `"${name}"`).join(' ')});created=${created};keyid="${keyId}"${algorithm ? `;alg="${algorithm}"` : ''}`;

/** RFC 9421 section 2.5: the text that is signed. Rejects what covers a header that is not there. */
export function signatureBase(signed: Signed, covered: readonly string[], parameters: string): string {
	const lines = covered.map((name) => {
		const value = DERIVED[name]?.(signed) ?? signed.headers[name];
		if (value === undefined) throw new Error(`The request has no “${name}”.`);
		return `"${name}": ${value.trim()}`;
	});
	return [...lines, `"@signature-params": ${parameters}`].join('\n');
}
