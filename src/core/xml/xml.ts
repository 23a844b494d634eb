import { SaxesParser } from 'saxes';

/** An element (XML 1.0, Namespaces in XML 1.0): prefixes are resolved, so only the namespace tells. */
export interface XmlElement {
	readonly name: string;
	/** Empty for none. */
	readonly namespace: string;
	readonly attributes: readonly XmlAttribute[];
	readonly children: readonly XmlElement[];
	/** The text directly inside, trimmed. */
	readonly text: string;
	/** Of a text that is a prefix of this place and a name (`x:name`), the namespace; null otherwise. */
	readonly textNamespace: string | null;
	/** 1-based line of its start tag. */
	readonly line: number;
}
export interface XmlAttribute {
	readonly name: string;
	readonly namespace: string;
	readonly value: string;
}
export type XmlReading =
	| { readonly ok: true; readonly elements: readonly XmlElement[] }
	| { readonly ok: false; readonly line: number; readonly message: string };

const XMLNS = 'http://www.w3.org/2000/xmlns/';
/** Deeper than any module of YANG, and shallow enough for those who walk it. */
const DEEPEST = 64;
const MOST_ELEMENTS = 200_000;
const DECLARATION = /^\uFEFF?\s*<\?xml[^>]*\?>/;
const PREFIXED = /^([A-Za-z_][\w.-]*):([A-Za-z_][\w.-]*)$/;

class Refused extends Error {}
type Growing = { -readonly [Key in keyof XmlElement]: XmlElement[Key] } & { children: Growing[] };

/**
 * Reads XML of one outermost element or several. Rejects what is not well-formed, a document type (and with it
 * every entity of one's own), text beside elements, and what is too deep or has too much in it. Linear in the text.
 */
export function parseXml(text: string): XmlReading {
	const parser = new SaxesParser({ xmlns: true, fragment: true });
	const top: Growing[] = [];
	const open: Growing[] = [];
	let count = 0;
	const addText = (words: string) => {
		const element = open.at(-1);
		if (element) element.text += words;
		else if (words.trim() !== '') throw new Refused('Text stands outside of every element.');
	};
	parser.on('error', (error) => {
		const words = error.message.replace(/^\d+:\d+: /, '');
		// A fragment has none, and so no entity of its own either
		throw new Refused(words.includes('doctype') ? 'A document type has no place here.' : `${words}.`);
	});
	parser.on('text', addText);
	parser.on('cdata', addText);
	parser.on('opentag', ({ local, uri, attributes }) => {
		if (open.length >= DEEPEST) throw new Refused('Nested too deep.');
		if (++count > MOST_ELEMENTS) throw new Refused('Too many elements.');
		const element: Growing = {
			name: local,
			namespace: uri,
			attributes: Object.values(attributes)
				.filter((one) => one.uri !== XMLNS)
				.map((one) => ({ name: one.local, namespace: one.uri, value: one.value })),
			children: [],
			text: '',
			textNamespace: null,
			line: parser.line
		};
		(open.at(-1)?.children ?? top).push(element);
		open.push(element);
	});
	parser.on('closetag', () => {
		const element = open.pop()!;
		element.text = element.text.trim();
		if (element.children.length > 0 && element.text !== '')
			throw new Refused(`Text stands beside the elements of “${element.name}”.`);
		const prefixed = PREFIXED.exec(element.text);
		const namespace = prefixed && parser.resolve(prefixed[1]!);
		if (prefixed && namespace) {
			element.text = prefixed[2]!;
			element.textNamespace = namespace;
		}
	});
	try {
		// The declaration has no place in a fragment; its lines stay
		parser.write(text.replace(DECLARATION, (declared) => declared.replace(/[^\n]/g, ' '))).close();
		return { ok: true, elements: top };
	} catch (error) {
		if (!(error instanceof Refused)) throw error;
		return { ok: false, line: parser.line, message: error.message };
	}
}

const escaped = (text: string): string => text.replace(/[&<>"\r]/g, (sign) => `&#${sign.charCodeAt(0)};`);

/** Writes an element; `around` is the namespace in which it stands. Law: reading it gives the same element, lines aside. */
export function printXml(element: XmlElement, around = '', indent = ''): string {
	const { name, namespace, attributes, children, text, textNamespace } = element;
	let start = `${indent}<${name}`;
	if (namespace !== around) start += ` xmlns="${escaped(namespace)}"`;
	attributes.forEach((one, index) => {
		if (one.namespace === '') start += ` ${one.name}="${escaped(one.value)}"`;
		else
			start += ` xmlns:a${index}="${escaped(one.namespace)}" a${index}:${one.name}="${escaped(one.value)}"`;
	});
	if (textNamespace !== null)
		return `${start} xmlns:v="${escaped(textNamespace)}">v:${escaped(text)}</${name}>\n`;
	if (children.length === 0) return text === '' ? `${start}/>\n` : `${start}>${escaped(text)}</${name}>\n`;
	return `${start}>\n${children.map((child) => printXml(child, namespace, `${indent}  `)).join('')}${indent}</${name}>\n`;
}

/** The elements that a path of names leads to, whatever their namespaces: `interfaces/interface/name`. */
export function elementsAt(elements: readonly XmlElement[], path: string): readonly XmlElement[] {
	let here = elements;
	const steps = path.split('/').filter((step) => step !== '');
	for (const [index, step] of steps.entries()) {
		const named = here.filter(({ name }) => name === step);
		here = index === steps.length - 1 ? named : named.flatMap(({ children }) => children);
	}
	return here;
}
