import {
	asWritten,
	broughtTo,
	comparable,
	comparing,
	labelOf,
	parseConfig,
	printConfig,
	statementOf,
	treeDifferences,
	type ConfigNode,
	type ConfigTree,
	type TreeDifference,
	type TwoConfigs
} from '../config';
import {
	withOwn,
	writeValue,
	type OwnStatement,
	type RenderedLine,
	type Resolved,
	type Value
} from '../profile';
import { keyOf, swappedKeyOf } from './finding';

/** A field and the value that explains what runs, as somebody would type it. */
export interface FieldValue {
	readonly field: string;
	readonly was: string;
	readonly now: string;
}

/** A rendering with where its lines come from. */
export interface RenderedWith {
	readonly text: string;
	readonly lines: readonly RenderedLine[];
	readonly values: ReadonlyMap<string, Resolved>;
}

/**
 * The values that would have made a rendering say what runs at one difference: read back out of the statement that runs,
 * in the form of the one that is intended. For a statement of a loop, its list with the item more or less. Null where no
 * given value explains it; a value that a formula computes never does. What it finds is a guess until the rendering with
 * it says the same as what runs. Takes time in proportion to the two texts.
 */
export function valuesBehind({
	rendered,
	running,
	dialect,
	rules,
	key
}: { readonly rendered: RenderedWith; readonly key: string } & Omit<TwoConfigs, 'intended'>):
	readonly FieldValue[] | null {
	const [should, runs] = [parseConfig(rendered.text, dialect, rules), parseConfig(running, dialect, rules)];
	if (!should.ok || !runs.ok) return null;
	const intended = comparable(should.tree, rules);
	const found = treeDifferences(intended, comparable(runs.tree, rules), comparing(dialect, rules)).find(
		(one) => keyOf(one) === key
	);
	return found ? explained(found, intended, rendered) : null;
}

function explained(
	{ said, around, intendedNode, runningNode }: TreeDifference,
	intended: ConfigTree,
	rendered: RenderedWith
): readonly FieldValue[] | null {
	switch (said.kind) {
		case 'changed':
			return changedValues(intendedNode!, runningNode!, rendered);
		case 'missing':
			return listWithout(intendedNode!, rendered);
		case 'extra':
			return listWith(runningNode!, around.at(-1)?.children ?? intended, rendered);
		case 'order':
			return null;
	}
}

/** Fields that somebody gave a value, of those that made a line. */
const givenIn = (node: ConfigNode, { lines, values }: RenderedWith): readonly Resolved[] =>
	(lines[node.line - 1]?.fields ?? []).flatMap((name) => {
		const value = values.get(name);
		return value && value.source !== 'formula' ? [value] : [];
	});

function changedValues(
	intended: ConfigNode,
	running: ConfigNode,
	rendered: RenderedWith
): readonly FieldValue[] | null {
	const holes = givenIn(intended, rendered).flatMap(({ name, value }) =>
		Array.isArray(value) ? [] : [{ name, text: writeValue(value) }]
	);
	const read = readBack(statementOf(intended), holes, statementOf(running));
	if (!read) return null;
	const changed = holes.flatMap(({ name, text }): FieldValue[] => {
		const now = read.get(name);
		return now === undefined || now === text ? [] : [{ field: name, was: text, now }];
	});
	return changed.length === 0 ? null : changed;
}

type Item = string | number | boolean;
const listsIn = (node: ConfigNode, rendered: RenderedWith) =>
	givenIn(node, rendered).flatMap(({ name, value }) =>
		Array.isArray(value) && value.every((item) => typeof item !== 'object')
			? [{ name, items: value as readonly Item[] }]
			: []
	);
const asTyped = (name: string, items: readonly Item[], next: readonly Item[]): readonly FieldValue[] => [
	{ field: name, was: writeValue(items as Value), now: writeValue(next as Value) }
];

function listWithout(node: ConfigNode, rendered: RenderedWith): readonly FieldValue[] | null {
	for (const { name, items } of listsIn(node, rendered)) {
		const item = items.find((one) => placeOf(statementOf(node), String(one)) !== null);
		if (item !== undefined && items.length > 1)
			return asTyped(
				name,
				items,
				items.filter((one) => one !== item)
			);
	}
	return null;
}

/** Of a statement that is too much: one of a loop's siblings shows what an item looks like. */
function listWith(
	node: ConfigNode,
	siblings: ConfigTree,
	rendered: RenderedWith
): readonly FieldValue[] | null {
	for (const sibling of siblings) {
		if (sibling.head !== node.head || sibling.kind !== node.kind) continue;
		for (const { name, items } of listsIn(sibling, rendered))
			for (const item of items) {
				const read = readBack(statementOf(sibling), [{ name, text: String(item) }], statementOf(node));
				const found = read?.get(name);
				if (found !== undefined && !items.some((one) => String(one) === found))
					return asTyped(name, items, [...items, found]);
			}
	}
	return null;
}

const WORD = /[A-Za-z0-9_]/;
/** Where a value stands in a statement as a whole, as it is or escaped inside quotation marks. */
function placeOf(statement: string, text: string): { from: number; to: number; quoted: boolean } | null {
	for (const form of new Set([text, JSON.stringify(text).slice(1, -1)])) {
		if (form === '') continue;
		for (let from = statement.indexOf(form); from >= 0; from = statement.indexOf(form, from + 1)) {
			const to = from + form.length;
			const joins = (inside: number, outside: number) =>
				WORD.test(statement[inside] ?? '') && WORD.test(statement[outside] ?? '');
			if (!joins(from, from - 1) && !joins(to - 1, to))
				return { from, to, quoted: (statement.slice(0, from).match(/(?<!\\)"/g)?.length ?? 0) % 2 === 1 };
		}
	}
	return null;
}

/** What stands in `running` where the values stand in `intended`; null where the rest is not the same. */
function readBack(
	intended: string,
	values: readonly { readonly name: string; readonly text: string }[],
	running: string
): ReadonlyMap<string, string> | null {
	const places = values
		.flatMap(({ name, text }) => {
			const place = placeOf(intended, text);
			return place ? [{ name, hasBlanks: /\s/.test(text), ...place }] : [];
		})
		.sort((a, b) => a.from - b.from)
		.filter(({ from }, index, all) => index === 0 || all[index - 1]!.to <= from);
	if (places.length === 0) return null;
	let at = 0;
	let form = '';
	for (const { from, to, quoted, hasBlanks } of places) {
		form += `${escaped(intended.slice(at, from))}${quoted ? '((?:[^"\\\\]|\\\\.)*)' : hasBlanks ? '(.+)' : '(\\S+)'}`;
		at = to;
	}
	const found = new RegExp(`^${form}${escaped(intended.slice(at))}$`).exec(running);
	return (
		found &&
		new Map(
			places.map(({ name, quoted }, index) => [
				name,
				quoted ? unescaped(found[index + 1]!) : found[index + 1]!
			])
		)
	);
}
const escaped = (text: string): string => text.replace(/[\\^$.*+?()[\]{}|/-]/g, '\\$&');
function unescaped(text: string): string {
	try {
		return JSON.parse(`"${text}"`) as string;
	} catch {
		return text;
	}
}

/**
 * The statement of a position's own that makes its rendering say what runs at one difference; null where the difference is
 * not there. It is placed by the nearest statement before it that stands there in both, so that what else differs there can
 * be accepted before or after.
 */
export function ownStatement({
	intended,
	running,
	dialect,
	rules,
	key
}: TwoConfigs & { readonly key: string }): OwnStatement | null {
	const [should, runs] = [parseConfig(intended, dialect, rules), parseConfig(running, dialect, rules)];
	if (!should.ok || !runs.ok) return null;
	const [to, from] = [comparable(should.tree, rules), comparable(runs.tree, rules)];
	const all = treeDifferences(to, from, comparing(dialect, rules));
	const found = all.find((one) => keyOf(one) === key);
	return found ? ownAt(found, all, from, rules) : null;
}

function ownAt(
	{ said, around, runningNode }: TreeDifference,
	all: readonly TreeDifference[],
	from: ConfigTree,
	rules: TwoConfigs['rules']
): OwnStatement {
	const siblings = runningNode ? (siblingsOf(from, runningNode) ?? []) : [];
	const elsewhere = new Set(all.filter((one) => one.said.kind !== 'changed').map((one) => one.runningNode));
	const before = siblings
		.slice(0, runningNode ? siblings.indexOf(runningNode) : 0)
		.findLast((node) => !elsewhere.has(node));
	const changed = before && all.find((one) => one.runningNode === before)?.intendedNode;
	const after = before ? labelOf(changed ?? before, rules.keys[around.at(-1)?.head ?? '']) : '';
	const { path } = said;
	if (said.kind === 'order') return { path, away: said.intended, comes: null, after, moves: true };
	return {
		path,
		away: said.kind === 'extra' ? null : said.intended,
		comes: runningNode && withoutLines(asWritten([runningNode])[0]!),
		after: runningNode ? after : null
	};
}

function siblingsOf(tree: ConfigTree, node: ConfigNode): ConfigTree | null {
	if (tree.includes(node)) return tree;
	for (const { children } of tree) {
		const found = siblingsOf(children, node);
		if (found) return found;
	}
	return null;
}
const withoutLines = (node: ConfigNode): ConfigNode => ({
	...node,
	line: 0,
	children: node.children.map(withoutLines)
});

/**
 * What is intended once the chosen differences are accepted: what was, with these as they run. Null where one of the two
 * cannot be read.
 */
export function acceptedInto(
	{ intended, running, dialect, rules }: TwoConfigs,
	accepted: ReadonlySet<string>
): string | null {
	const [should, runs] = [parseConfig(intended, dialect, rules), parseConfig(running, dialect, rules)];
	if (!should.ok || !runs.ok) return null;
	const [to, from] = [comparable(should.tree, rules), comparable(runs.tree, rules)];
	const all = treeDifferences(to, from, comparing(dialect, rules));
	const moves = all
		.filter((one) => one.said.kind === 'order' && accepted.has(keyOf(one)))
		.map((one) => ownAt(one, all, from, rules));
	const moved = withOwn(to, moves, rules.keys);
	// The same differences, looked at from the other side; only which statements stand elsewhere is not the same from there
	const brought = broughtTo(
		from,
		moved.ok ? moved.tree : to,
		comparing(dialect, rules),
		(one) => one.said.kind !== 'order' && accepted.has(swappedKeyOf(one))
	);
	return printConfig(asWritten(brought), dialect);
}
