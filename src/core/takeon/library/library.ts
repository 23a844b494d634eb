import {
	comparable,
	comparing,
	treeDifferences,
	type ConfigNode,
	type ConfigTree,
	type Dialect,
	type DialectRules
} from '../../config';
import { isSecretType, renderWhole, resolveFields, writeValue, type Known, type Piece } from '../../profile';
import { usualOf } from '../learn/usual';
import { Matcher, NOTHING } from './matcher';
import { type Template, said, templateOf } from './template';

/** A part of the library that says some of what units run, in a profile that is learnt from them. */
export interface ExplainingPart extends Piece {
	/** How many statements it says at each unit, at most. */
	readonly statements: number;
}
export interface CutAgainst {
	readonly parts: readonly ExplainingPart[];
	/** What most units give the parts, as the profile gives it. */
	readonly shared: Readonly<Record<string, string>>;
	/** What each gives them beside that, by unit in the order of the units. */
	readonly values: readonly Readonly<Record<string, string>>[];
	/** What they run without what the parts say. */
	readonly trees: readonly ConfigTree[];
}
interface Unit {
	readonly tree: ConfigTree;
	readonly known: Known;
}

/**
 * Finds those parts of a library that say statements of all units, whole blocks only, and with which values; what they say
 * is taken out of what is still to be learnt. A part with most statements goes first, and no statement is said twice.
 * Laws: rendering the parts with the values of a unit gives just the statements that were taken out there; without parts
 * nothing changes. Not found: parts whose fields only filters or formulas write, whose table has columns, or which need a
 * value that nothing shows.
 */
export function cutAgainst(
	units: readonly Unit[],
	library: readonly Piece[],
	dialect: Dialect,
	rules: DialectRules
): CutAgainst {
	const fitting = library
		.flatMap((part) => {
			const template = templateOf(part, dialect, rules);
			const found = template && foundAt(units, part, template, dialect, rules);
			return found ? [{ part, found }] : [];
		})
		.sort((a, b) => most(b.found) - most(a.found) || (a.part.id < b.part.id ? -1 : 1));
	const taken = units.map(() => new Set<ConfigNode>());
	const values = units.map((): Record<string, string> => ({}));
	const types = new Map<string, string>();
	const parts: ExplainingPart[] = [];
	for (const { part, found } of fitting) {
		const isFree =
			found.every(({ nodes }, at) => [...nodes].every((node) => !taken[at]!.has(node))) &&
			part.fields.every(
				({ name, type }) => (types.get(name) ?? JSON.stringify(type)) === JSON.stringify(type)
			) &&
			found.every(({ given }, at) =>
				Object.entries(given).every(([name, value]) => (values[at]![name] ?? value) === value)
			);
		if (!isFree) continue;
		for (const [at, { nodes, given }] of found.entries()) {
			for (const node of nodes) taken[at]!.add(node);
			Object.assign(values[at]!, given);
		}
		for (const { name, type } of part.fields) types.set(name, JSON.stringify(type));
		parts.push({ ...part, statements: most(found) });
	}
	const { shared, own } = parted(values, parts);
	return {
		parts,
		shared,
		values: own,
		trees: units.map(({ tree }, at) => said(tree, taken[at]!, false))
	};
}

interface FoundAt {
	/** Statements with all that is inside. */
	readonly nodes: ReadonlySet<ConfigNode>;
	/** Values by field. */
	readonly given: Readonly<Record<string, string>>;
}
const most = (found: readonly FoundAt[]): number =>
	Math.max(0, ...found.map(({ nodes }) => [...nodes].reduce((sum, node) => sum + size(node), 0)));
const size = (node: ConfigNode): number => node.children.reduce((sum, child) => sum + size(child), 1);

/** What more than half of several units give, where all give something, is the profile’s, but for secrets; the others keep theirs. */
function parted(values: readonly Readonly<Record<string, string>>[], parts: readonly Piece[]) {
	const shared: Record<string, string> = {};
	for (const { name, type } of parts.flatMap(({ fields }) => fields)) {
		const given = values.flatMap((one) => one[name] ?? []);
		const usual = given.length === values.length && !isSecretType(type) ? usualOf(given) : null;
		if (usual !== null) shared[name] = usual;
	}
	const own = values.map((one) =>
		Object.fromEntries(Object.entries(one).filter(([name, value]) => shared[name] !== value))
	);
	return { shared, own };
}

/** Where a part stands at each unit; null where any of them does not have it. */
function foundAt(
	units: readonly Unit[],
	part: Piece,
	template: Template,
	dialect: Dialect,
	rules: DialectRules
): readonly FoundAt[] | null {
	const matcher = new Matcher(part.fields, template, dialect);
	const found: FoundAt[] = [];
	for (const { tree, known } of units) {
		const matched = matcher.within(template.tree, tree, NOTHING);
		const given = matched && matched.nodes.length > 0 ? matcher.valuesOf(matched, known) : null;
		if (
			!matched ||
			!given ||
			!gives(part, given, known, said(tree, new Set(matched.nodes), true), dialect, rules)
		)
			return null;
		found.push({ nodes: new Set(matched.nodes), given: withoutUsual(part, given, known) });
	}
	return found;
}

/** Whether rendering the part with the values is just those statements. */
function gives(
	part: Piece,
	given: Readonly<Record<string, string>>,
	known: Known,
	nodes: ConfigTree,
	dialect: Dialect,
	rules: DialectRules
): boolean {
	const rendered = renderWhole({ dialect, rules, pieces: [part], scoped: { position: given }, known });
	return (
		rendered.ok &&
		treeDifferences(comparable(rendered.tree, rules), comparable(nodes, rules), comparing(dialect, rules))
			.length === 0
	);
}

/** Without what the part says itself where nobody gives it. */
function withoutUsual(
	{ fields }: Piece,
	given: Readonly<Record<string, string>>,
	known: Known
): Readonly<Record<string, string>> {
	let left = given;
	for (const { name, formula, fallback } of fields) {
		if (!Object.hasOwn(left, name) || (formula === undefined && fallback === undefined)) continue;
		const { [name]: value, ...others } = left;
		const usual = resolveFields(fields, { position: others }, known).values.get(name);
		if (usual && writeValue(usual.value) === value) left = others;
	}
	return left;
}
