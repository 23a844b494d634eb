import { cleanText } from '../text';

/** What a device says of itself, as RFC 5424 has it, or the older RFC 3164 leniently. */
export interface SaidEvent {
	/** Which of them it was; `plain`: neither, its words are all there is. */
	readonly form: 'rfc5424' | 'rfc3164' | 'plain';
	/** 0 emergency … 7 debug (RFC 5424 §6.2.1). */
	readonly severity: number;
	readonly facility: number;
	/** By its own clock, in milliseconds since the epoch; null where it does not say, or says no zone. */
	readonly at: number | null;
	/** What it calls itself; empty where it does not say. */
	readonly host: string;
	readonly app: string;
	/** MSGID: which kind of message. */
	readonly kind: string;
	readonly words: string;
	/** All that stands behind its host name, structured data included: what packs look at. */
	readonly rest: string;
}

/** RFC 5424 §6.1 asks for 2048 at least. In octets; what is longer is cut. */
export const LONGEST_EVENT = 8192;
/** What a device said that has no PRI: user, notice (RFC 3164 §4.3.3). */
const USUAL = { facility: 1, severity: 5 };
const MOST_PRI = 191;

/** Reads one message. Whatever it is, something is read: a device is not asked to say it again. Linear in its length. */
export function readEvent(octets: Uint8Array): SaidEvent {
	const text = cleanText(
		new TextDecoder().decode(octets.subarray(0, LONGEST_EVENT)).replaceAll('\u0000', ' ')
	).trimEnd();
	const [whole = '', pri = ''] = /^<(\d{1,3})>/.exec(text) ?? [];
	const isPri = whole !== '' && Number(pri) <= MOST_PRI;
	const said = isPri ? { facility: Math.floor(Number(pri) / 8), severity: Number(pri) % 8 } : USUAL;
	const after = isPri ? text.slice(whole.length) : text;
	return { ...said, ...(modern(after) ?? older(after) ?? plain(after)) };
}

type Told = Omit<SaidEvent, 'facility' | 'severity'>;

const NIL = '-';
const notNil = (word: string): string => (word === NIL ? '' : word);
const HEADER = /^1 (\S{1,64}) (\S{1,255}) (\S{1,48}) (\S{1,128}) (\S{1,32}) (?=[-[])/;
const TIMESTAMP = /^\d{4}-\d{2}-\d{2}T\d{2}:\d{2}:\d{2}(?:\.\d{1,6})?(?:Z|[+-]\d{2}:\d{2})$/;

/** VERSION TIMESTAMP HOSTNAME APP-NAME PROCID MSGID STRUCTURED-DATA [MSG] */
function modern(text: string): Told | null {
	const header = HEADER.exec(text);
	if (!header) return null;
	const [whole, timestamp, host, app, , kind] = header as unknown as [
		string,
		string,
		string,
		string,
		string,
		string
	];
	const dataEnd = endOfData(text, whole.length);
	if (dataEnd === null) return null;
	const at = TIMESTAMP.test(timestamp) ? Date.parse(timestamp) : NaN;
	return {
		form: 'rfc5424',
		at: Number.isNaN(at) ? null : at,
		host: notNil(host),
		app: notNil(app),
		kind: notNil(kind),
		words: text
			.slice(dataEnd)
			.trim()
			.replace(/^\ufeff/, ''),
		rest: text.slice(text.indexOf(' ', 2) + host.length + 2)
	};
}

/** Behind the structured data that begins at a place; null when it is none. A value escapes `"`, `\` and `]`. */
function endOfData(text: string, from: number): number | null {
	if (text[from] === NIL) return from + 1;
	let isValue = false;
	for (let at = from; at < text.length; at++) {
		const here = text[at]!;
		if (isValue) {
			if (here === '\\') at++;
			else if (here === '"') isValue = false;
		} else if (here === '"') isValue = true;
		else if (here === ']' && text[at + 1] !== '[') return at + 1;
	}
	return null;
}

const OLDER =
	/^(?:[A-Z][a-z]{2} [ \d]\d (?:\d{4} )?\d{2}:\d{2}:\d{2}(?:\.\d{1,6})?)(?: [A-Z]{2,5})?:? (?:(\S{1,255}) )?/;
const TAG = /^([^\s:[\]]{1,48})(?:\[[^\]\s]{0,32}\])?: ?/;

/** `Mmm dd hh:mm:ss HOSTNAME TAG[pid]: words`. Its time says neither year nor zone, so it is not taken for one. */
function older(text: string): Told | null {
	const header = OLDER.exec(text);
	if (!header) return null;
	// A tag without a host before it is no host
	const isTag = header[1]?.endsWith(':') ?? false;
	const host = isTag ? '' : (header[1] ?? '');
	const rest = isTag ? text.slice(header[0].length - header[1]!.length - 1) : text.slice(header[0].length);
	const tag = TAG.exec(rest);
	return {
		form: 'rfc3164',
		at: null,
		host,
		app: tag?.[1] ?? '',
		kind: '',
		words: rest.slice(tag?.[0].length ?? 0).trim(),
		rest
	};
}

const plain = (text: string): Told => ({
	form: 'plain',
	at: null,
	host: '',
	app: '',
	kind: '',
	words: text.trim(),
	rest: text
});
