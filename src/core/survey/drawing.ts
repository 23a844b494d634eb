import { hierarchy, tree, type HierarchyPointNode } from 'd3';
import type { Link } from './links';
import type { SurveyedThing, SurveyMap } from './map';

/** A place on the drawing, in its own units; of a box its upper left corner, of a thing its middle. */
export interface Spot {
	readonly x: number;
	readonly y: number;
}
/** Where somebody dragged groups, by their name, and things, by their key and within their group. */
export interface Dragged {
	readonly groups: Readonly<Record<string, Spot>>;
	readonly things: Readonly<Record<string, Spot>>;
}
const NOTHING_DRAGGED: Dragged = { groups: {}, things: {} };

export interface DrawnThing extends Spot {
	readonly thing: SurveyedThing;
}
export interface DrawnGroup extends Spot {
	readonly name: string;
	readonly width: number;
	readonly height: number;
	readonly count: number;
	readonly isFolded: boolean;
	readonly things: readonly DrawnThing[];
}
export interface DrawnLine {
	readonly key: string;
	readonly x1: number;
	readonly y1: number;
	readonly x2: number;
	readonly y2: number;
	/** More than one where a folded group hides them. */
	readonly links: readonly Link[];
}
export interface SurveyDrawing {
	readonly width: number;
	readonly height: number;
	readonly groups: readonly DrawnGroup[];
	readonly lines: readonly DrawnLine[];
}

/** Of a thing's box. */
export const THING_WIDTH = 168;
export const THING_HEIGHT = 40;
const [ROW, COLUMN] = [52, 216];
const [TITLE, PADDING, GAP] = [30, 16, 44];
const FOLDED = { width: 200, height: 56 };

/**
 * Draws a survey: each group a box, in it the things in columns from the edge inwards, each beside what it hangs on; groups that
 * are nearest to the edge first, in rows. Laws: every thing of a group that is not folded has a place of its own inside its box;
 * no two boxes overlap unless somebody dragged them; every link between drawn things is in exactly one line, or hidden inside a
 * folded group. Time grows with things and links.
 */
export function drawSurvey(
	{ things, links }: Pick<SurveyMap, 'things' | 'links'>,
	folded: ReadonlySet<string>,
	dragged: Dragged = NOTHING_DRAGGED
): SurveyDrawing {
	const members = new Map<string, SurveyedThing[]>();
	for (const thing of things) {
		const those = members.get(thing.group);
		if (those) those.push(thing);
		else members.set(thing.group, [thing]);
	}
	const hangs = hangsOn(things, links);
	const boxes = [...members]
		.map(([name, those]) => ({ name, those, layer: Math.min(...those.map(({ layer }) => layer)) }))
		.sort((a, b) => a.layer - b.layer || (a.name < b.name ? -1 : 1))
		.map(({ name, those }) =>
			folded.has(name)
				? { name, count: those.length, isFolded: true, inner: [], ...FOLDED }
				: { name, count: those.length, isFolded: false, ...boxOf(those, hangs, dragged.things) }
		);
	const widest = Math.max(0, ...boxes.map(({ width }) => width));
	const area = boxes.reduce((sum, { width, height }) => sum + (width + GAP) * (height + GAP), 0);
	const wanted = Math.max(widest, Math.sqrt(area * 2.6));
	let [x, y, tallest] = [0, 0, 0];
	const groups = boxes.map(({ inner, ...box }): DrawnGroup => {
		if (x > 0 && x + box.width > wanted) [x, y, tallest] = [0, y + tallest + GAP, 0];
		const at = dragged.groups[box.name] ?? { x, y };
		x += box.width + GAP;
		tallest = Math.max(tallest, box.height);
		return {
			...box,
			...at,
			things: inner.map((one) => ({ ...one, x: at.x + one.x, y: at.y + one.y }))
		};
	});
	return {
		width: Math.max(1, ...groups.map((one) => one.x + one.width)),
		height: Math.max(1, ...groups.map((one) => one.y + one.height)),
		groups,
		lines: linesOf(groups, things, links)
	};
}

/** What each thing is drawn beside: one that is nearer to the edge, in its own group. */
function hangsOn(things: readonly SurveyedThing[], links: readonly Link[]): ReadonlyMap<string, string> {
	const byKey = new Map(things.map((thing) => [thing.key, thing]));
	const hangs = new Map<string, string>();
	const note = (lower: SurveyedThing, upper: SurveyedThing) => {
		if (lower.group === upper.group && upper.layer < lower.layer && !hangs.has(lower.key))
			hangs.set(lower.key, upper.key);
	};
	for (const { from, to } of links) {
		const [a, b] = [byKey.get(from.thing), byKey.get(to.thing)];
		if (!a || !b) continue;
		note(a, b);
		note(b, a);
	}
	return hangs;
}

interface Node {
	readonly thing: SurveyedThing | null;
	readonly inside: Node[];
}

function boxOf(
	those: readonly SurveyedThing[],
	hangs: ReadonlyMap<string, string>,
	dragged: Dragged['things']
): { readonly inner: readonly DrawnThing[]; readonly width: number; readonly height: number } {
	const nodes = new Map(those.map((thing) => [thing.key, { thing, inside: [] } as Node]));
	const root: Node = { thing: null, inside: [] };
	for (const node of [...nodes.values()].sort((a, b) => (a.thing!.name < b.thing!.name ? -1 : 1)))
		(nodes.get(hangs.get(node.thing!.key) ?? '') ?? root).inside.push(node);
	const laid = tree<Node>()
		.nodeSize([ROW, COLUMN])
		.separation(() => 1)(hierarchy(root, ({ inside }) => inside));
	// What stands for the group itself is not drawn
	const points = laid.descendants().filter(({ data }) => data.thing !== null);
	const top = Math.min(...points.map((point) => point.x));
	const place = (point: HierarchyPointNode<Node>): DrawnThing => ({
		thing: point.data.thing!,
		...(dragged[point.data.thing!.key] ?? {
			x: PADDING + (point.depth - 1) * COLUMN + THING_WIDTH / 2,
			y: TITLE + PADDING + point.x - top + THING_HEIGHT / 2
		})
	});
	const inner = points.map(place);
	return {
		inner,
		width: Math.max(...inner.map(({ x }) => x)) + THING_WIDTH / 2 + PADDING,
		height: Math.max(...inner.map(({ y }) => y)) + THING_HEIGHT / 2 + PADDING
	};
}

function linesOf(
	groups: readonly DrawnGroup[],
	things: readonly SurveyedThing[],
	links: readonly Link[]
): readonly DrawnLine[] {
	const ends = new Map<string, Spot & { readonly end: string }>();
	const groupOf = new Map(groups.map((group) => [group.name, group]));
	for (const group of groups)
		for (const { thing, x, y } of group.things) ends.set(thing.key, { end: thing.key, x, y });
	for (const { key, group } of things) {
		const box = groupOf.get(group)!;
		if (box.isFolded)
			ends.set(key, { end: `group ${group}`, x: box.x + box.width / 2, y: box.y + box.height / 2 });
	}
	const lines = new Map<string, DrawnLine & { links: Link[] }>();
	for (const [index, link] of links.entries()) {
		const [a, b] = [ends.get(link.from.thing), ends.get(link.to.thing)];
		if (!a || !b || (a.end === b.end && a.end.startsWith('group '))) continue;
		const isHidden = a.end.startsWith('group ') || b.end.startsWith('group ');
		const key = isHidden ? [a.end, b.end].sort().join(' – ') : `${index}`;
		const line = lines.get(key);
		if (line) line.links.push(link);
		else lines.set(key, { key, x1: a.x, y1: a.y, x2: b.x, y2: b.y, links: [link] });
	}
	return [...lines.values()];
}
