import { jsonLines, parseConfig, type ConfigNode } from '../../config';
import type { OriginLine } from '../text/origin';
import { dialectProblem, type Composed, type Piece, type RenderedLine } from './composition';

export const textOf = (lines: readonly { readonly text: string }[]): string => {
	let whole = '';
	for (const { text } of lines) whole += `${text}\n`;
	return whole;
};

/** A node and the piece it comes from. */
interface Owned extends ConfigNode {
	readonly piece: number;
	readonly children: readonly Owned[];
}

class Conflict extends Error {
	constructor(
		readonly key: string,
		readonly node: Owned
	) {
		super();
	}
}

export function mergeJson(pieces: readonly Piece[], parts: readonly (readonly OriginLine[])[]): Composed {
	const own = (node: ConfigNode, piece: number): Owned => ({
		...node,
		piece,
		children: node.children.map((child) => own(child, piece))
	});
	let tree: readonly Owned[] = [];
	for (const [piece, part] of parts.entries()) {
		const text = textOf(part);
		if (text.trim() === '') continue;
		const reading = parseConfig(text, 'json');
		if (!reading.ok) {
			const { line, message } = reading.problems[0]!;
			const source = part[line - 1];
			return { problem: dialectProblem(message, source && { ...source, piece }, pieces, null) };
		}
		try {
			tree = mergeNodes(
				tree,
				reading.tree.map((node) => own(node, piece))
			);
		} catch (error) {
			if (!(error instanceof Conflict)) throw error;
			const source = parts[piece]![error.node.line - 1];
			const message = `Another part gives “${error.key}” as well.`;
			return {
				problem: {
					...dialectProblem(message, source && { ...source, piece }, pieces, null),
					kind: 'conflict'
				}
			};
		}
	}
	const printed = jsonLines(tree);
	const lines = printed.map(({ text, node }): RenderedLine => {
		if (!node) return { text, piece: null, sources: [], fields: [] };
		const { piece, line } = node as Owned;
		const { sources, fields } = parts[piece]![line - 1]!;
		return { text, piece, sources, fields };
	});
	// The tree as it is numbered in the merged text
	const text = textOf(lines);
	const reading = parseConfig(text, 'json');
	return reading.ok
		? { lines, text, tree: reading.tree }
		: { problem: dialectProblem(reading.problems[0]!.message, undefined, pieces, null) };
}

function mergeNodes(left: readonly Owned[], right: readonly Owned[]): readonly Owned[] {
	const merged = [...left];
	for (const node of right) {
		const at = merged.findIndex(({ head }) => head === node.head);
		const other = merged[at];
		if (!other) merged.push(node);
		else if (other.kind !== node.kind || node.kind === 'leaf') throw new Conflict(node.head, node);
		else
			merged[at] = {
				...other,
				children:
					node.kind === 'list'
						? [...other.children, ...node.children]
						: mergeNodes(other.children, node.children)
			};
	}
	return merged;
}
