import {
	asWritten,
	broughtTo,
	comparable,
	comparing,
	parseConfig,
	printConfig,
	statementForm,
	statementOf,
	treeDifferences,
	type ConfigDifference,
	type ConfigNode,
	type Dialect,
	type Grammar,
	type PathNames,
	type TreeDifference,
	type TwoConfigs
} from '../config';
import { maskSecrets, type Unshown } from '../profile';

/** What a difference can mean: for the way to the unit, for who gets in where, for how it is managed, for its secrets. */
export const TOUCHES = ['uplink', 'access', 'management', 'security', 'nothing of these'] as const;
export type Touches = (typeof TOUCHES)[number];

/** A difference between what a unit should run and what it runs, as people may see it. */
export interface Finding {
	readonly kind: ConfigDifference['kind'] | 'unsaved';
	/** The blocks around it. */
	readonly path: readonly string[];
	/** With all that is inside, as text of its dialect; null where there is nothing. */
	readonly should: string | null;
	readonly runs: string | null;
	readonly after: string | null;
	readonly touches: Touches;
	/** Something that only this place has, or a secret, stands in it: what its profile says alike for all does not settle it. */
	readonly isParticular: boolean;
	/** The difference itself, with its secrets: what makes it the same one at the next reading. Never shown. */
	readonly key: string;
	/** What makes it the same one at several units: with the unit's own values under their fields' names. Never shown. */
	readonly same: string;
}

export interface Findings {
	readonly findings: readonly Finding[];
	/** There are so many more. */
	readonly more: number;
}
export type Looked = ({ readonly ok: true } & Findings) | { readonly ok: false; readonly words: string };

/** What is known of a unit's place. */
export interface Place {
	readonly grammar: Grammar | null;
	readonly names: PathNames;
	/** Its own values as they stand in texts, by their fields' names; none of them secret. */
	readonly own: Readonly<Record<string, string>>;
	/** What only this place has, as it stands in texts: values of its site and of its own. */
	readonly particular: readonly string[];
	readonly secrets: Unshown;
}

/** Of one unit so many are told apart; one that differs in more places runs something else altogether. */
const MOST_FINDINGS = 300;
/** So much of a block stands in a finding. In characters. */
const LONGEST_SHOWN = 4_000;

/**
 * What differs between what a unit should run and what it runs. Where there is nothing, what runs means what is intended.
 * Laws: no secret of the place stands in `path`, `should`, `runs` or `after`; two units whose texts differ only in their
 * own values have findings with the same `same`; where nothing that only the place has stands in a difference, it is not
 * particular.
 */
export function findingsBetween(two: TwoConfigs, place: Place): Looked {
	const { dialect, rules } = two;
	const [intended, running] = [two.intended, two.running].map((text) =>
		parseConfig(text, dialect, rules)
	) as [ReturnType<typeof parseConfig>, ReturnType<typeof parseConfig>];
	if (!running.ok)
		return {
			ok: false,
			words: `What it runs cannot be read: line ${running.problems[0]!.line}: ${running.problems[0]!.message}`
		};
	if (!intended.ok)
		return {
			ok: false,
			words: `What it should run cannot be read: line ${intended.problems[0]!.line}: ${intended.problems[0]!.message}`
		};
	const all = treeDifferences(
		comparable(intended.tree, rules),
		comparable(running.tree, rules),
		comparing(dialect, rules)
	);
	const shown = all.slice(0, MOST_FINDINGS).map((one) => findingOf(one, dialect, place));
	return { ok: true, findings: shown, more: all.length - shown.length };
}

function findingOf(difference: TreeDifference, dialect: Dialect, place: Place): Finding {
	const { said, intendedNode, runningNode, around } = difference;
	const hidden = (text: string) => maskSecrets(text, place.secrets).replaceAll('\u0000', '\ufffd');
	const shown = (node: ConfigNode | null) => {
		if (!node) return null;
		const text = hidden(textOf(node, dialect));
		return text.length > LONGEST_SHOWN ? `${text.slice(0, LONGEST_SHOWN)}\n…` : text;
	};
	const real = partsOf(difference);
	return {
		kind: said.kind,
		path: said.path.map(hidden),
		should: shown(intendedNode),
		runs: shown(runningNode),
		after: said.after === undefined || said.after === null ? null : hidden(said.after),
		touches: touchedBy(around, [intendedNode, runningNode], place),
		isParticular: [...around.map(statementOf), ...[intendedNode, runningNode].flatMap(statementsIn)].some(
			(statement) => isParticular(statement, place)
		),
		key: keyOf(difference),
		same: JSON.stringify([dialect, ...real], (_, value: unknown) =>
			typeof value === 'string' ? named(value, place.own) : value
		)
	};
}

/** It runs something else than it would start with: what runs is gone with the next loss of power. */
export const UNSAVED: Finding = {
	kind: 'unsaved',
	path: [],
	should: null,
	runs: null,
	after: null,
	touches: 'management',
	isParticular: false,
	key: 'unsaved',
	same: 'unsaved'
};

/** What makes a difference the same one at the next reading. */
export const keyOf = (difference: TreeDifference): string => JSON.stringify(partsOf(difference));
const MIRROR = { missing: 'extra', extra: 'missing', changed: 'changed', order: 'order' } as const;
/** The key that a difference has when its two sides are held against each other the other way round. */
export const swappedKeyOf = ({ said, intendedNode, runningNode, around }: TreeDifference): string =>
	keyOf({
		said: { ...said, kind: MIRROR[said.kind] },
		around,
		intendedNode: runningNode,
		runningNode: intendedNode
	});

const partsOf = ({ said, intendedNode, runningNode }: TreeDifference): readonly unknown[] => [
	said.kind,
	said.path,
	said.after ?? null,
	...[intendedNode, runningNode].map((node) => node && meant(node))
];

/**
 * The text that runs once those findings are put right whose keys are chosen, and nothing else is changed; null where one
 * of the two cannot be read. What changes by itself is not part of it.
 */
export function putRight(
	{ intended, running, dialect, rules }: TwoConfigs,
	chosen: (key: string) => boolean
): string | null {
	const [should, runs] = [parseConfig(intended, dialect, rules), parseConfig(running, dialect, rules)];
	if (!should.ok || !runs.ok) return null;
	const brought = broughtTo(
		comparable(should.tree, rules),
		comparable(runs.tree, rules),
		comparing(dialect, rules),
		(one) => chosen(keyOf(one))
	);
	return printConfig(asWritten(brought), dialect);
}

/** A node as text of its dialect; of an item of a JSON list, its members. */
export const textOf = (node: ConfigNode, dialect: Dialect): string =>
	(dialect === 'json' && node.head === ''
		? node.kind === 'leaf'
			? node.rest
			: printConfig(node.children, dialect)
		: dialect === 'json'
			? printConfig([node], dialect)
					.replace(/^\{\n|\n\}\n?$/g, '')
					.replace(/^ {2}/gm, '')
			: printConfig([node], dialect)
	).trimEnd();

const meant = ({ kind, head, rest, children }: ConfigNode): unknown => [
	kind,
	head,
	rest,
	children.map(meant)
];

/** A value this short stands in too many texts by chance. */
const SHORTEST_OWN = 4;
const EDGE = '[^A-Za-z0-9_]';
/** A statement with the unit's own values under their names, the longest first. */
function named(text: string, own: Readonly<Record<string, string>>): string {
	let result = text;
	for (const [name, value] of ownOf(own))
		if (result.includes(value)) result = result.replace(patternOfOwn(value), `$1{${name}}`);
	return result;
}
const sorted = new WeakMap<object, readonly (readonly [string, string])[]>();
function ownOf(own: Readonly<Record<string, string>>): readonly (readonly [string, string])[] {
	let found = sorted.get(own);
	if (!found)
		sorted.set(
			own,
			(found = Object.entries(own)
				.filter(([, value]) => value.length >= SHORTEST_OWN)
				.sort(([a, x], [b, y]) => y.length - x.length || (a < b ? -1 : 1)))
		);
	return found;
}
const patternOfOwn = (value: string): RegExp =>
	new RegExp(`(^|${EDGE})${value.replace(/[\\^$.*+?()[\]{}|/-]/g, '\\$&')}(?![A-Za-z0-9_])`, 'g');

/** What it touches, by what the firmware's grammar says of its statements; the gravest of several. */
function touchedBy(
	around: readonly ConfigNode[],
	nodes: readonly (ConfigNode | null)[],
	{ grammar, names, secrets }: Place
): Touches {
	const ways = nodes.flatMap((node) => (node ? [[...around, node]] : []));
	const isOn = (paths: readonly (readonly string[])[]) =>
		ways.some((way) => paths.some((path) => liesOn(way, path, names)));
	const lifelines = grammar?.lifelines;
	const { cuts = [], risks = [], network } = grammar ?? {};
	// All that stands in the uplink's own port can cut it off
	const uplink = lifelines?.uplink.flat().map((path) => path.slice(0, 1)) ?? [];
	if (isOn([...uplink, ...(lifelines?.route.flat() ?? []), ...cuts.map(({ path }) => path)])) return 'uplink';
	if (
		lifelines &&
		isOn([...lifelines.names, ...lifelines.time, ...lifelines.home, ...lifelines.login].flat())
	)
		return 'management';
	if (isOn(risks.map(({ path }) => path)) || ways.some((way) => hasSecret(way.at(-1)!, secrets)))
		return 'security';
	if (network && isOn(network.segments.map(({ at }) => at))) return 'access';
	return 'nothing of these';
}

/** Whether a way down the tree and a path meet: each step of the shorter fits the other's. */
function liesOn(way: readonly ConfigNode[], path: readonly string[], names: PathNames): boolean {
	const last = way.at(-1)!;
	const meets = way.every((node, depth) => depth >= path.length || statementForm(path[depth]!, names)(node));
	if (!meets) return false;
	// A block that holds what the path leads to
	return way.length >= path.length || holds(last, path.slice(way.length), names);
}
const holds = (node: ConfigNode, path: readonly string[], names: PathNames): boolean =>
	path.length === 0 ||
	node.children.some((child) => statementForm(path[0]!, names)(child) && holds(child, path.slice(1), names));

const statementsIn = (node: ConfigNode | null): readonly string[] =>
	node ? [statementOf(node), ...node.children.flatMap(statementsIn)] : [];
const isParticular = (statement: string, { particular, secrets }: Place): boolean =>
	particular.some((value) => statement.includes(value) && patternOfOwn(value).test(statement)) ||
	showsSecret(statement, secrets);

const showsSecret = (statement: string, secrets: Unshown): boolean =>
	maskSecrets(statement, secrets) !== statement;
const hasSecret = (node: ConfigNode, secrets: Unshown): boolean =>
	statementsIn(node).some((statement) => showsSecret(statement, secrets));
