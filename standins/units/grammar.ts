import type { ConfigNode, ConfigProblem, ConfigTree } from '../../src/core/config';
import { statementOf } from '../../src/core/config';

/** What a maker's firmware understands: per word, what may follow it and which words may stand inside. */
export interface Word {
	readonly rest: RegExp;
	readonly inside?: Grammar;
}
export type Grammar = Readonly<Record<string, Word>>;

/** The first line the firmware does not understand, in the device's own words; null when it takes all. */
export function firstRejected(tree: ConfigTree, grammar: Grammar, place = ''): ConfigProblem | null {
	for (const node of tree) {
		const word = Object.hasOwn(grammar, node.head) ? grammar[node.head]! : null;
		if (!word)
			return { line: node.line, message: `unknown word "${node.head || statementOf(node)}"${place}` };
		if (!word.rest.test(node.rest))
			return { line: node.line, message: `bad value "${node.rest}" after "${node.head}"${place}` };
		const inner = innerProblem(node, word, place);
		if (inner) return inner;
	}
	return null;
}

function innerProblem(node: ConfigNode, word: Word, place: string): ConfigProblem | null {
	if (node.children.length === 0) return null;
	if (!word.inside) return { line: node.line, message: `"${node.head}" opens no block${place}` };
	return firstRejected(node.children, word.inside, ` in "${statementOf(node)}"`);
}

const NOTHING = /^$/;
const NAME = /^[A-Za-z0-9][A-Za-z0-9.-]{0,62}$/;
const HOST = /^[A-Za-z0-9][A-Za-z0-9.:-]{0,100}$/;
const NUMBER = /^\d{1,5}$/;
const IPV4 = String.raw`(?:\d{1,3}\.){3}\d{1,3}`;
const PREFIX = new RegExp(`^${IPV4}/\\d{1,2}$`);
const QUOTED = /^"(?:[^"\\]|\\.)*"$/;
const ZONE = /^[A-Za-z]+(\/[A-Za-z_]+)+$/;
const leaf = (rest: RegExp): Word => ({ rest });
const block = (rest: RegExp, inside: Grammar): Word => ({ rest, inside });
/** The same inside quotation marks, as JSON writes it. */
const quoted = (rest: RegExp) => new RegExp(`^"${rest.source.replace(/^\^|\$$/g, '')}"$`);

const VELTRANE: Grammar = {
	hostname: leaf(NAME),
	location: leaf(QUOTED),
	'time-zone': leaf(ZONE),
	'time-server': leaf(HOST),
	'name-server': leaf(HOST),
	port: block(/^(wan0|lan[0-7])$/, {
		label: leaf(QUOTED),
		'obtain-address': leaf(NOTHING),
		'own-address': leaf(PREFIX),
		'hand-out': leaf(new RegExp(`^${IPV4} to ${IPV4}$`)),
		tag: leaf(NUMBER)
	}),
	filter: block(NAME, { accept: leaf(/^[a-z0-9 ./-]+$/), drop: leaf(/^[a-z0-9 ./-]+$/) }),
	caretaker: block(NAME, { 'public-key': leaf(QUOTED) }),
	'dial-home': block(NOTHING, { host: leaf(HOST), port: leaf(NUMBER) })
};

const OKAPIRA: Grammar = {
	identity: block(NOTHING, { name: leaf(NAME), place: leaf(QUOTED), zone: leaf(ZONE) }),
	clock: block(NOTHING, { server: leaf(HOST) }),
	resolver: block(NOTHING, { server: leaf(HOST) }),
	wire: block(/^(up0|in[0-3])$/, {
		note: leaf(QUOTED),
		lease: leaf(NOTHING),
		address: leaf(PREFIX),
		pool: leaf(new RegExp(`^${IPV4} ${IPV4}$`))
	}),
	rules: block(NAME, { permit: leaf(/^[a-z0-9 ./-]+$/), refuse: leaf(/^[a-z0-9 ./-]+$/) }),
	keeper: block(NAME, { key: leaf(QUOTED) }),
	beacon: block(NOTHING, { host: leaf(HOST), port: leaf(NUMBER) })
};

const LUMENFOLD: Grammar = {
	name: leaf(quoted(NAME)),
	place: leaf(QUOTED),
	zone: leaf(quoted(ZONE)),
	time: leaf(quoted(HOST)),
	feed: leaf(/^"eth[01]"$/),
	networks: block(NOTHING, {
		'': block(NOTHING, {
			ssid: leaf(QUOTED),
			vlan: leaf(NUMBER),
			secret: leaf(QUOTED),
			isolate: leaf(/^(true|false)$/)
		})
	}),
	keeper: block(NOTHING, { user: leaf(quoted(NAME)), key: leaf(QUOTED) }),
	home: block(NOTHING, { host: leaf(quoted(HOST)), port: leaf(NUMBER) })
};

export const GRAMMARS: Readonly<Record<string, Grammar>> = {
	veltrane: VELTRANE,
	okapira: OKAPIRA,
	lumenfold: LUMENFOLD
};

/** A firmware that does not know a word yet: the fault "rejected line". */
export function withoutWord(grammar: Grammar, word: string): Grammar {
	return Object.fromEntries(Object.entries(grammar).filter(([known]) => known !== word));
}
