import type { ConfigTree } from '../../config';

/** Units that are alike, the most alike group by group: whoever is alone is a group too. */
export interface UnitShape {
	readonly id: string;
	/** What must be the same: its dialect and model, say. */
	readonly kind: string;
	readonly tree: ConfigTree;
}

/** Of what two units say, weighed by how rare it is, so much has to be the same. */
const ALIKE = 0.5;

/**
 * Which units are alike enough to have one profile: by kind, then by the statements that they share (Jaccard), each weighed by
 * its rarity (inverse document frequency, Spärck Jones, Journal of Documentation 28, 1972), without the values in them. Each
 * joins the group that it is most alike to, of those whose first it is alike to at all. Law: the order of the units changes
 * nothing but the order within a group. Takes time in proportion to the units times the groups.
 */
export function groupAlike(units: readonly UnitShape[]): readonly (readonly string[])[] {
	const shapes = units.map(({ id, kind, tree }) => ({ id, kind, shape: shapeOf(tree) }));
	const counts = new Map<string, number>();
	for (const { shape } of shapes) for (const one of shape) counts.set(one, (counts.get(one) ?? 0) + 1);
	const weight = (one: string) => Math.log(1 + units.length / counts.get(one)!);
	const sorted = shapes
		.map((one) => ({ ...one, key: [...one.shape].join('\n') }))
		.sort((a, b) => b.shape.size - a.shape.size || (a.key < b.key ? -1 : a.key > b.key ? 1 : 0));
	const groups: { readonly first: (typeof sorted)[number]; readonly ids: string[] }[] = [];
	for (const one of sorted) {
		let [most, best] = [ALIKE, null as (typeof groups)[number] | null];
		for (const group of groups) {
			if (group.first.kind !== one.kind) continue;
			const likeness = likenessOf(group.first.shape, one.shape, weight);
			if (likeness >= most && (best === null || likeness > most)) [most, best] = [likeness, group];
		}
		if (best) best.ids.push(one.id);
		else groups.push({ first: one, ids: [one.id] });
	}
	return groups.map(({ ids }) => ids).sort((a, b) => b.length - a.length);
}

/** The statements of a tree without their values, each with the blocks around it. */
function shapeOf(tree: ConfigTree): ReadonlySet<string> {
	const shape = new Set<string>();
	const walk = (nodes: ConfigTree, around: string) => {
		for (const { kind, head, children } of nodes) {
			const path = `${around}/${kind} ${head}`;
			shape.add(path);
			walk(children, path);
		}
	};
	walk(tree, '');
	// In one order: sums of the same weights differ in their last digits by the order in which they are added
	return new Set([...shape].sort());
}

function likenessOf(
	one: ReadonlySet<string>,
	other: ReadonlySet<string>,
	weight: (one: string) => number
): number {
	let [shared, all] = [0, 0];
	for (const statement of one) {
		all += weight(statement);
		if (other.has(statement)) shared += weight(statement);
	}
	for (const statement of other) if (!one.has(statement)) all += weight(statement);
	return all === 0 ? 1 : shared / all;
}
