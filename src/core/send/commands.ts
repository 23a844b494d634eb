import {
	broughtTo,
	comparable,
	comparing,
	parseConfig,
	statementOf,
	treeDifferences,
	type ConfigNode,
	type Grammar,
	type PathNames,
	type ConfigTree,
	type TreeDifference,
	type TwoConfigs
} from '../config';
import { strandingOf, strandingWords } from '../profile';

/**
 * A maker's own words for changing one statement of a configuration. `{statement}` and `{old}`, `{new}`, `{other}` stand
 * for statements; `{way}` for the statements of the blocks around one, from the outside in. With `enter` and `leave` a
 * block is gone into first; without them each command names the whole way.
 */
export interface ChangeWords {
	readonly enter?: string | undefined;
	readonly leave?: string | undefined;
	readonly add: string;
	readonly remove: string;
	/** Gives a setting another value at once; without it the new one is added and the old one taken away. */
	readonly change?: string | undefined;
	/** Where order counts: puts a statement behind another one, or first. */
	readonly after?: string | undefined;
	readonly first?: string | undefined;
}

export type Commands =
	| { readonly ok: true; readonly commands: readonly string[] }
	/** Why the whole has to be replaced. */
	| { readonly ok: false; readonly why: string };

/** More single changes than these are no change any more, but another configuration. */
export const MOST_CHANGES = 500;

/**
 * The commands that bring a unit from what it runs to what is intended: nothing that is equal is touched; what comes is
 * said before what goes. `strands`: why a unit could not be reached any more with a configuration; empty where it could.
 * Laws: applying the commands to what runs means what is intended, salted values aside; after each of them the unit can
 * still be reached, if it could before. Where that cannot be had, it says why, and the whole has to be replaced.
 */
export function commandsFor(
	{ intended, running, dialect, rules }: TwoConfigs,
	words: ChangeWords,
	strands: (tree: ConfigTree) => readonly string[]
): Commands {
	const [should, runs] = [parseConfig(intended, dialect, rules), parseConfig(running, dialect, rules)];
	if (!runs.ok) return no(`What it runs cannot be read at line ${runs.problems[0]!.line}.`);
	if (!should.ok) return no(`What it should run cannot be read at line ${should.problems[0]!.line}.`);
	if (dialect === 'json' || dialect === 'xml')
		return no('Its configuration is one object, which is replaced as a whole.');
	const by = comparing(dialect, rules);
	const isOrdered = (node: ConfigNode) => by.ordered.has(node.head);
	if (isAmbiguous([should.tree, runs.tree], false, isOrdered))
		return no('Two statements with the same words stand beside each other.');
	const [to, from] = [comparable(should.tree, rules), comparable(runs.tree, rules)];
	const steps = inSafeOrder(treeDifferences(to, from, by), words, isOrdered);
	if (steps.length > MOST_CHANGES) return no(`It differs in ${steps.length} places.`);
	const said: Saying[] = [];
	for (const step of steps) {
		const saying = sayingOf(step, words, isOrdered);
		if (typeof saying === 'string') return no(saying);
		said.push(saying);
	}
	const lost = strandedOnTheWay(to, from, steps, (some) => broughtTo(to, from, by, some), strands);
	return lost ? no(lost) : { ok: true, commands: inBlocks(said, words) };
}

/**
 * Whether a command could mean another statement than it should: blocks, or a block and a statement, with the same words,
 * and where order counts a statement twice.
 */
function isAmbiguous(
	levels: readonly ConfigTree[],
	inOrder: boolean,
	isOrdered: (node: ConfigNode) => boolean
): boolean {
	const named = new Map<string, { trees: ConfigTree[]; inOrder: boolean }>();
	const leaves = new Set<string>();
	for (const level of levels) {
		const here = new Set<string>();
		for (const node of level) {
			const statement = statementOf(node);
			if (here.has(statement) && (node.kind !== 'leaf' || inOrder)) return true;
			here.add(statement);
			if (node.kind === 'leaf') leaves.add(statement);
			else {
				const block = named.get(statement) ?? { trees: [], inOrder: isOrdered(node) };
				block.trees.push(node.children);
				named.set(statement, block);
			}
		}
	}
	return [...named].some(
		([statement, block]) => leaves.has(statement) || isAmbiguous(block.trees, block.inOrder, isOrdered)
	);
}

const no = (why: string): Commands => ({ ok: false, why });

/**
 * What comes and what changes first; then, where order counts, what comes and what moves, each behind what it follows;
 * what goes comes last.
 */
const inSafeOrder = (
	differences: readonly TreeDifference[],
	{ change }: ChangeWords,
	isOrdered: (node: ConfigNode) => boolean
): readonly TreeDifference[] => {
	const phaseOf = ({ said: { kind }, around }: TreeDifference): number => {
		if (kind === 'extra') return 2;
		// What is changed by adding the new one stands at the end at first
		const isAdded = kind === 'missing' || (kind === 'changed' && change === undefined);
		return kind === 'order' || (isAdded && around.length > 0 && isOrdered(around.at(-1)!)) ? 1 : 0;
	};
	return differences
		.map((one, at) => ({ one, at, phase: phaseOf(one) }))
		.sort((a, b) => a.phase - b.phase || a.one.said.intendedLine - b.one.said.intendedLine || a.at - b.at)
		.map(({ one }) => one);
};

/** So many steps are looked at one by one; of more, each tenth, and so on. */
const MOST_LOOKED = 60;

/** After which step nobody could reach the unit any more; null when it can be reached after each. */
function strandedOnTheWay(
	to: ConfigTree,
	from: ConfigTree,
	steps: readonly TreeDifference[],
	after: (chosen: (one: TreeDifference) => boolean) => ConfigTree,
	strands: (tree: ConfigTree) => readonly string[]
): string | null {
	// What is lost already cannot be lost on the way
	if (strands(from).length > 0 || strands(to).length > 0) return null;
	const place = new Map(steps.map((step, at) => [nameOf(step), at]));
	const each = Math.max(1, Math.ceil(steps.length / MOST_LOOKED));
	for (let done = 1; done < steps.length; done += each) {
		const tree = after((one) => (place.get(nameOf(one)) ?? Infinity) < done);
		const [lost] = strands(tree);
		if (lost) return `On the way it could not be reached any more: ${lost}`;
	}
	return null;
}
const nameOf = ({ said, intendedNode, runningNode }: TreeDifference): string =>
	JSON.stringify([
		said.kind,
		said.path,
		intendedNode?.line ?? 0,
		runningNode?.line ?? 0,
		said.intended,
		said.running
	]);

/** What is said inside the blocks around it. */
interface Saying {
	readonly way: readonly string[];
	readonly said: readonly string[];
}

function sayingOf(
	{ said, around, intendedNode, runningNode }: TreeDifference,
	words: ChangeWords,
	isOrdered: (node: ConfigNode) => boolean
): Saying | string {
	const way = around.map(statementOf);
	const filled = (form: string, given: Readonly<Record<string, string>>) =>
		[fill(form, { way: way.join(' '), ...given })] as const;
	switch (said.kind) {
		case 'changed': {
			const [old, next] = [statementOf(runningNode!), statementOf(intendedNode!)];
			if (words.change) return { way, said: filled(words.change, { old, new: next, statement: next }) };
			const block = around.at(-1);
			const placed = block && isOrdered(block) ? placing(intendedNode!, block, way, words) : [];
			return placed === null
				? NO_ORDER
				: {
						way,
						said: [
							...filled(words.add, { statement: next }),
							...placed,
							...filled(words.remove, { statement: old })
						]
					};
		}
		case 'missing': {
			const added = adding(intendedNode!, way, words);
			const block = around.at(-1);
			if (!block || !isOrdered(block)) return { way, said: added };
			const placed = placing(intendedNode!, block, way, words);
			return placed === null ? NO_ORDER : { way, said: [...added, ...placed] };
		}
		case 'order': {
			const placed = placing(intendedNode!, around.at(-1)!, way, words);
			return placed === null ? NO_ORDER : { way, said: placed };
		}
		case 'extra':
			return { way, said: filled(words.remove, { statement: statementOf(runningNode!) }) };
	}
}
const NO_ORDER = 'The order of a block changes, and its maker has no words for that.';

/** A statement, with all that is inside it. */
function adding(node: ConfigNode, way: readonly string[], words: ChangeWords): string[] {
	const statement = statementOf(node);
	if (node.kind === 'leaf') return [fill(words.add, { way: way.join(' '), statement })];
	const inner = [...way, statement];
	const inside = node.children.flatMap((child) => adding(child, inner, words));
	if (words.enter === undefined)
		return inside.length > 0 ? inside : [fill(words.add, { way: way.join(' '), statement })];
	return [fill(words.enter, { statement }), ...inside, words.leave ?? ''];
}

/** Behind what it follows in the plan, or first. */
function placing(
	node: ConfigNode,
	block: ConfigNode,
	way: readonly string[],
	words: ChangeWords
): readonly string[] | null {
	const before = block.children[block.children.indexOf(node) - 1];
	const form = before ? words.after : words.first;
	return form === undefined
		? null
		: [
				fill(form, {
					way: way.join(' '),
					statement: statementOf(node),
					other: before ? statementOf(before) : ''
				})
			];
}

const fill = (form: string, given: Readonly<Record<string, string>>): string =>
	form
		.replace(/\{(statement|way|old|new|other)\}/g, (_, name: string) => given[name] ?? '')
		// At the top there is no way
		.replace(/ {2,}/g, (blanks, at: number, whole: string) =>
			whole.slice(0, at).includes('"') ? blanks : ' '
		)
		.trimEnd();

/** What is said in the same block follows each other without leaving it. */
function inBlocks(all: readonly Saying[], { enter, leave = '' }: ChangeWords): string[] {
	if (enter === undefined) return all.flatMap(({ said }) => said);
	const lines: string[] = [];
	let here: readonly string[] = [];
	const goTo = (way: readonly string[]) => {
		let shared = 0;
		while (shared < way.length && here[shared] === way[shared]) shared++;
		for (let depth = here.length; depth > shared; depth--) lines.push(leave);
		for (const statement of way.slice(shared)) lines.push(fill(enter, { statement }));
		here = way;
	};
	for (const { way, said } of all) {
		goTo(way);
		lines.push(...said);
	}
	goTo([]);
	return lines;
}

/** What is known of the way in to a unit: as data, for another thread. */
export interface WayIn {
	readonly grammar: Grammar;
	readonly names: PathNames;
}
export const waysKept = (grammar: Grammar | null, names: PathNames): WayIn | null =>
	grammar && { grammar, names };

/** `commandsFor`, with the way in to the unit as its firmware's grammar says it; without one nothing is known of it. */
export const commandsWithin = ({
	two,
	words,
	way
}: {
	readonly two: TwoConfigs;
	readonly words: ChangeWords;
	readonly way: WayIn | null;
}): Commands =>
	commandsFor(two, words, (tree) => (way ? strandingWords(strandingOf(tree, way.grammar, way.names)) : []));
