import {
	evaluate,
	iterator,
	parse,
	type DocumentNode,
	type ElementNode,
	type MemberNode,
	type ObjectNode,
	type ValueNode
} from '@humanwhocodes/momoa';
import * as v from 'valibot';
import { strangeRules, type Dialect, type Word, type Words } from '../config';
import { groupsOf } from '../pattern';
import { askKind, openIn, type Ask } from './asks';
import { LARGEST_PACK, packSchema, type Pack } from './schema';
import type { AskRule, SendRule, Talk } from './talk';
import { FLASH_STEPS, IMAGE_NAMES, namesIn, SEND_STEPS } from './sending';

/** What is wrong with a pack: at which line of its text, and at which place in it, such as `models.2.serial`. */
export interface PackProblem {
	readonly line: number;
	readonly place: string;
	readonly message: string;
}
export type PackReading =
	| { readonly ok: true; readonly pack: Pack }
	| { readonly ok: false; readonly problems: readonly PackProblem[] };

const DEEPEST = 40;
const MOST_PROBLEMS = 100;
type Place = readonly (string | number)[];

/**
 * Reads a pack. Rejects what is no JSON, what the schema does not know, a key or a model that stands twice, names
 * that lead nowhere, patterns that are none, and readings that lack what their kind must give.
 */
export function readPack(text: string): PackReading {
	if (text.length > LARGEST_PACK)
		return { ok: false, problems: [at(1, '', `A pack has at most ${LARGEST_PACK / 1024 / 1024} MB.`)] };
	let document: DocumentNode;
	try {
		document = parse(text.replace(/^\uFEFF/, ''), { mode: 'json' });
	} catch (error) {
		if (error instanceof RangeError) return { ok: false, problems: [at(1, '', 'Nested too deep.')] };
		const { line, message } = error as { line?: number; message: string };
		return {
			ok: false,
			problems: [at(line ?? 1, '', `This is no JSON: ${message.replace(/\s*\(\d+:\d+\)$/, '')}`)]
		};
	}
	const shape = shapeProblem(document);
	if (shape) return { ok: false, problems: [shape] };
	const read = v.safeParse(packSchema, evaluate(document));
	const found = read.success
		? problemsOf(read.output)
		: read.issues.map((issue) => ({
				place: (issue.path ?? []).map(({ key }) => key as string | number),
				message: issueWords(issue)
			}));
	if (read.success && found.length === 0) return { ok: true, pack: read.output };
	return {
		ok: false,
		problems: found
			.slice(0, MOST_PROBLEMS)
			.map(({ place, message }) => at(lineOf(document, place), place.join('.'), message))
			.sort((a, b) => a.line - b.line)
	};
}

const at = (line: number, place: string, message: string): PackProblem => ({ line, place, message });

function issueWords(issue: v.BaseIssue<unknown>): string {
	if (!issue.message.startsWith('Invalid ')) return issue.message;
	const [received, expected] = [issue.received, issue.expected ?? 'something else'].map((words) =>
		words.replace(/"([^"]*)"/g, '“$1”')
	);
	if (issue.type === 'strict_object' && expected === 'never') return 'Limen does not know this.';
	return issue.type === 'strict_object' && expected!.startsWith('“')
		? `${expected} is missing here.`
		: `${received} stands where ${expected} belongs.`;
}

/** Names that mean something to the language Limen is written in: nothing of a pack can have them. */
const RESERVED = new Set(['__proto__', 'constructor', 'prototype']);

/** What no schema sees once the text is read: depth, keys that stand twice, and names that can be none. */
function shapeProblem(document: DocumentNode): PackProblem | null {
	let depth = 0;
	for (const { node, phase } of iterator(document)) {
		if (node.type === 'Object' || node.type === 'Array') depth += phase === 'enter' ? 1 : -1;
		if (depth > DEEPEST) return at(node.loc.start.line, '', 'Nested too deep.');
		if (phase === 'exit' || node.type !== 'Object') continue;
		const keys = new Set<string>();
		for (const { name, loc } of (node as ObjectNode).members) {
			const key = keyOf(name);
			if (RESERVED.has(key)) return at(loc.start.line, key, `“${key}” can be no name here.`);
			if (keys.has(key)) return at(loc.start.line, key, `“${key}” stands twice in one object.`);
			keys.add(key);
		}
	}
	return null;
}
const keyOf = (name: { readonly type: string; readonly value?: string; readonly name?: string }): string =>
	(name.type === 'String' ? name.value : name.name) ?? '';

/** The line of what stands at a place, or of the nearest around it. */
function lineOf(document: DocumentNode, place: Place): number {
	let node: ValueNode = document.body;
	let { line } = node.loc.start;
	for (const step of place) {
		if (node.type === 'Object') {
			const member: MemberNode | undefined = node.members.find(({ name }) => keyOf(name) === String(step));
			if (!member) return line;
			({ line } = member.loc.start);
			node = member.value;
		} else if (node.type === 'Array') {
			const element: ElementNode | undefined = node.elements[Number(step)];
			if (!element) return line;
			({ line } = element.loc.start);
			node = element.value;
		} else return line;
	}
	return line;
}

interface Found {
	readonly place: Place;
	readonly message: string;
}

/** What the schema alone cannot see. */
function problemsOf(pack: Pack): readonly Found[] {
	return [
		...twice(pack.models, 'id'),
		...twice(pack.models, 'name'),
		...pack.models.flatMap((model, index) => [
			...leads(pack.firmware, model.firmware, ['models', index, 'firmware']),
			...leads(pack.talks, model.talk, ['models', index, 'talk'])
		]),
		...Object.entries(pack.talks).flatMap(([name, talk]) => talkProblems(talk, ['talks', name])),
		...Object.entries(pack.dialects).flatMap(([dialect, rules]) => {
			const message = rules && strangeRules(dialect as Dialect, rules);
			return message ? [{ place: ['dialects', dialect, 'ends'], message }] : [];
		}),
		...Object.entries(pack.firmware).flatMap(([line, { grammar, versions, signers, signed }]) => [
			...(signed && signers.length === 0
				? [{ place: ['firmware', line, 'signed'], message: 'Nobody signs its images: name `signers`.' }]
				: []),
			...(grammar
				? wordProblems(grammar.words, grammar.types, versions, ['firmware', line, 'grammar', 'words'])
				: []),
			...versions.flatMap(({ from }, index) =>
				from
					.filter((one) => !versions.some(({ version }) => version === one))
					.map((one) => ({
						place: ['firmware', line, 'versions', index, 'from'],
						message: `There is no version “${one}” in this line.`
					}))
			)
		])
	];
}

const twice = <Key extends 'id' | 'name'>(models: Pack['models'], key: Key): Found[] => {
	const first = new Map<string, number>();
	return models.flatMap((model, index) => {
		const before = first.get(model[key]);
		if (before === undefined) first.set(model[key], index);
		return before === undefined
			? []
			: [{ place: ['models', index, key], message: `The model “${model[key]}” stands twice.` }];
	});
};
const leads = (there: Readonly<Record<string, unknown>>, name: string, place: Place): Found[] =>
	Object.hasOwn(there, name) ? [] : [{ place, message: `“${name}” is not in this pack.` }];

/** Types that are not in the grammar, and versions that are not in the line. */
const wordProblems = (
	words: Words,
	types: Readonly<Record<string, string>>,
	versions: readonly { readonly version: string }[],
	place: Place
): Found[] =>
	Object.entries(words).flatMap(([word, { value, inside, since }]: [string, Word]) => [
		...(value !== undefined && !Object.hasOwn(types, value)
			? [{ place: [...place, word, 'value'], message: `There is no type “${value}” in this grammar.` }]
			: []),
		...(since !== undefined && !versions.some(({ version }) => version === since)
			? [{ place: [...place, word, 'since'], message: `There is no version “${since}” in this line.` }]
			: []),
		...(inside ? wordProblems(inside, types, versions, [...place, word, 'inside']) : [])
	]);

function talkProblems({ transport, shell, asks, send, flash }: Talk, place: Place): Found[] {
	const found: Found[] = Object.entries(asks).flatMap(([ask, rule]) =>
		rule ? askProblems(ask as Ask, rule, [...place, 'asks', ask]) : []
	);
	if (transport === 'shell' && !shell)
		found.push({ place, message: 'A shell needs to know its prompt: “shell” is missing here.' });
	if (shell?.rise?.secret && !shell.rise.asks)
		found.push({
			place: [...place, 'shell', 'rise', 'secret'],
			message: 'A secret is given when it is asked for: “asks” is missing beside it.'
		});
	if (send) found.push(...sendProblems(send, transport, [...place, 'send']));
	if (flash) {
		if (!asks.image)
			found.push({
				place: [...place, 'flash'],
				message: 'How the image is doing is asked by “image” in “asks”, which is missing.'
			});
		found.push(
			...FLASH_STEPS.flatMap((step) =>
				saidProblems(flash[step], IMAGE_NAMES, transport, [...place, 'flash', step])
			)
		);
	}
	return found;
}

function sendProblems(send: SendRule, transport: Talk['transport'], place: Place): Found[] {
	const needed = ['load', 'confirm', send.effect] as const;
	const edits = send.edit.length > 0;
	return [
		...(edits === (send.change !== undefined)
			? []
			: [
					{
						place,
						message: edits
							? '“edit” needs the words in “change”.'
							: '“change” is for “edit”, which is missing.'
					}
				]),
		...needed
			.filter((step) => send[step].length === 0)
			.map((step) => ({ place, message: `Nothing is said to send a configuration at “${step}”.` })),
		...SEND_STEPS.flatMap((step) => saidProblems(send[step], namesIn(step), transport, [...place, step]))
	];
}

/** What is wrong with what is said in a step. `names`: what may stand in it. */
const saidProblems = (
	said: SendRule['load'],
	names: readonly string[],
	transport: Talk['transport'],
	place: Place
): Found[] =>
	said.flatMap((one, index) => {
		const at = [...place, index];
		const { say, input } = typeof one === 'string' ? { say: one, input: null } : one;
		return [
			...openIn(say + (input ?? ''))
				.filter((name) => !names.includes(name))
				.map((name) => ({ place: at, message: `“{${name}}” stands for nothing here.` })),
			...(input !== null && transport !== 'exec'
				? [{ place: at, message: 'Only a command of its own (“exec”) has an input.' }]
				: [])
		];
	});

function askProblems(ask: Ask, rule: AskRule, place: Place): Found[] {
	const kind = askKind(ask);
	const open = rule.say.flatMap((line, index) =>
		openIn(line)
			.filter((name) => !(kind.about as readonly string[]).includes(name))
			.map((name) => ({ place: [...place, 'say', index], message: `“{${name}}” stands for nothing here.` }))
	);
	const { read } = rule;
	const where = [...place, 'read'];
	if (kind.whole)
		return read && !('text' in read)
			? [...open, { place: where, message: 'This is read as it is: “text”.' }]
			: open;
	if (!read || 'text' in read)
		return [
			...open,
			{ place, message: `How ${kind.words} is read is missing here: it gives ${list(kind.gives)}.` }
		];
	const given =
		'first' in read
			? groupsOf(read.first)
			: 'each' in read
				? groupsOf(read.each)
				: Object.keys('json' in read ? read.json : read.xml);
	const missing = kind.gives.filter((name) => !given.includes(name));
	const strange = given.filter((name) => !kind.gives.includes(name) && !(kind.may ?? []).includes(name));
	return [
		...open,
		...(missing.length > 0 ? [{ place: where, message: `This must give ${list(missing)} as well.` }] : []),
		...(strange.length > 0
			? [{ place: where, message: `${list(strange)} is nothing that ${kind.words} consists of.` }]
			: [])
	];
}
const list = (names: readonly string[]) => names.map((name) => `“${name}”`).join(' and ');
