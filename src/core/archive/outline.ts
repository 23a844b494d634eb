import { labelOf, type ConfigTree } from '../config';

/** By the name of a section, the first words of the statements that belong to it. */
export type Sections = Readonly<Record<string, readonly string[]>>;

/** A part of a configuration as somebody looks for it: “Ports”, with where each begins. */
export interface Section {
	readonly name: string;
	readonly statements: readonly { readonly label: string; readonly line: number }[];
}

export const OTHER_SECTION = 'The rest';

/**
 * The sections of a configuration in the order in which its pack names them; what it names nowhere comes last. `tree`:
 * read from the text, so that its lines are known. Law: each statement of the top stands in exactly one.
 */
export function outlineOf(tree: ConfigTree, sections: Sections): readonly Section[] {
	const byWord = new Map(
		Object.entries(sections).flatMap(([name, heads]) => heads.map((head) => [head, name]))
	);
	const found = new Map<string, { label: string; line: number }[]>(
		[...Object.keys(sections), OTHER_SECTION].map((name) => [name, []])
	);
	for (const node of tree)
		found.get(byWord.get(node.head) ?? OTHER_SECTION)!.push({ label: labelOf(node), line: node.line });
	return [...found].flatMap(([name, statements]) => (statements.length > 0 ? [{ name, statements }] : []));
}
