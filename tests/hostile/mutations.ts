import fc from 'fast-check';

/** What programs have choked on, and whatever comes up. */
export const hostileText = fc.oneof(
	fc.constantFrom(
		...[
			'',
			' ',
			'\0',
			'\ud800',
			'%',
			'%00',
			'%ff',
			'../',
			'..%2f',
			"'",
			'"',
			'`',
			'\\',
			'\r\nx: y',
			'\u202e',
			'\ufeff'
		],
		...[
			'-1',
			'0',
			'-0',
			'1e999',
			'NaN',
			'Infinity',
			'0x10',
			'2147483648',
			'9223372036854775808',
			'9'.repeat(400)
		],
		...[
			'{',
			'[',
			'[[',
			'{}',
			'[]',
			'null',
			'true',
			'""',
			'{"a":',
			'{"__proto__":{"x":1}}',
			'[{"id":null}]',
			'[['.repeat(9000)
		],
		...[
			'constructor',
			'__proto__',
			'toString',
			'00000000-0000-0000-0000-000000000000',
			'{{ x',
			'{% for %}',
			'{{ 1 | pad: 400000000 }}'
		],
		...[
			'0000-00-00',
			'2026-02-30',
			'+275760-09-13T00:00:00.000Z',
			'-271821-04-20T00:00:00Z',
			'9999-12-31T23:59'
		],
		...[
			'::/0',
			'10.0.0.0/33',
			'0.0.0.0/0',
			'1-9999999999',
			'1,2,3',
			'=1+1',
			'<script>',
			'%s%n',
			"'; drop table unit; --"
		],
		'x'.repeat(20_000),
		'x,'.repeat(20_000),
		'/*'.repeat(5000),
		'e\u0301'.repeat(2000)
	),
	fc.string({ unit: 'binary', maxLength: 300 }),
	fc.string({ unit: 'grapheme-ascii', maxLength: 60 }),
	fc.json({ maxDepth: 4 }),
	fc.integer().map(String),
	fc.double().map(String)
);
export const mutation = fc.record({ where: fc.nat(), text: hostileText });
type Mutation = { readonly where: number; readonly text: string };

type Change = (text: string) => void;
/** Wherever something can be put into a request: its path, its query, its headers, each field of its body. */
function placesIn(url: URL, init: RequestInit, headers: Headers): Change[] {
	const places: Change[] = [
		(text) => {
			const parts = url.pathname.split('/');
			parts[1 + (text.length % Math.max(1, parts.length - 1))] = encodeURIComponent(text.toWellFormed());
			url.pathname = parts.join('/');
		},
		(text) => url.searchParams.set('q', text),
		(text) => url.searchParams.append('position', text),
		(text) => url.searchParams.set('x-sveltekit-invalidated', text)
	];
	for (const name of [...url.searchParams.keys()]) places.push((text) => url.searchParams.set(name, text));
	const latin = (text: string) => text.replace(/[^\t\x20-\x7e\x80-\xff]/g, '?');
	for (const name of [
		'accept',
		'accept-language',
		'content-type',
		'range',
		'if-none-match',
		'idempotency-key',
		'forwarded',
		'x-forwarded-for',
		'origin',
		'referer',
		'last-event-id'
	])
		places.push((text) => headers.set(name, latin(text)));
	places.push((text) =>
		headers.set('cookie', `${headers.get('cookie') ?? ''}; ${latin(text)}; customer=${latin(text)}`)
	);
	const { body } = init;
	if (body instanceof URLSearchParams) {
		for (const name of new Set(body.keys())) {
			places.push(
				(text) => body.set(name, text),
				(text) => body.append(name, text),
				() => body.delete(name)
			);
			const given = body.get(name)!;
			if (/^[[{]/.test(given))
				for (const change of placesInJson(given, (now) => body.set(name, now))) places.push(change, change);
		}
		places.push((text) => body.append(text, text));
	} else if (typeof body === 'string') {
		places.push(...placesInJson(body, (now) => (init.body = now)));
	}
	if (body) places.push((text) => (init.body = text));
	return places;
}

/** Each value within a JSON text, replaced by a text or by what the text is as JSON. */
function placesInJson(given: string, write: (now: string) => void): Change[] {
	let whole: unknown;
	try {
		whole = JSON.parse(given);
	} catch {
		return [];
	}
	const places: Change[] = [];
	const visit = (within: Record<string, unknown>): void => {
		for (const key of Object.keys(within)) {
			const put = (value: unknown) => {
				within[key] = value;
				write(JSON.stringify(whole));
			};
			places.push(
				put,
				(text) => put(parsed(text)),
				() => put(undefined)
			);
			if (within[key] && typeof within[key] === 'object') visit(within[key] as Record<string, unknown>);
		}
	};
	if (whole && typeof whole === 'object') visit(whole as Record<string, unknown>);
	return places;
}
const parsed = (text: string): unknown => {
	try {
		return JSON.parse(text);
	} catch {
		return [text];
	}
};

/** Runs something whose requests through `fetch` are changed on their way. */
export async function changing<Result>(
	mutations: readonly Mutation[],
	work: () => Promise<Result>
): Promise<Result> {
	const plain = globalThis.fetch;
	globalThis.fetch = (input, given = {}) => {
		const url = new URL(String(input));
		const headers = new Headers(given.headers);
		const init = { ...given };
		for (const { where, text } of mutations) {
			const places = placesIn(url, init, headers);
			places[where % places.length]!(text);
		}
		return plain(url, { ...init, headers });
	};
	try {
		return await work();
	} finally {
		globalThis.fetch = plain;
	}
}
