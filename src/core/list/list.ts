/** A long list as somebody looks at it: what they filter by, in which order, which columns. It lives in the address. */
export interface ListColumn {
	readonly id: string;
	readonly title: string;
	/** In rem; what is left is shared among those with `grows`. */
	readonly width: number;
	readonly grows?: boolean;
	readonly sorts?: boolean;
	/** Shown unless somebody chooses otherwise. */
	readonly usual?: boolean;
	/** Left out on a phone. */
	readonly wide?: boolean;
}
export interface ListDefinition {
	readonly columns: readonly ListColumn[];
	/** What can be filtered by besides text: the values that each takes, or `any` short word. */
	readonly filters: Readonly<Record<string, readonly string[] | 'any'>>;
	readonly sort: ListSort;
}
export interface ListSort {
	readonly column: string;
	readonly descending: boolean;
}
export interface ListQuery {
	readonly text: string;
	readonly filters: Readonly<Record<string, string>>;
	readonly sort: ListSort;
	/** Ids of columns, in their order. */
	readonly columns: readonly string[];
}

const LONGEST_TEXT = 100;
const LONGEST_FILTER = 64;

/**
 * Reads a list's address. What makes no sense in it is left out, so that an old or mistyped address still
 * shows a list. Law: reading what `writeListQuery` wrote gives the same query.
 */
export function readListQuery(parameters: URLSearchParams, definition: ListDefinition): ListQuery {
	const filters: Record<string, string> = {};
	for (const [name, values] of Object.entries(definition.filters)) {
		const value = parameters.get(name);
		if (value && (values === 'any' ? value.length <= LONGEST_FILTER : values.includes(value)))
			filters[name] = value;
	}
	const given = parameters.get('sort') ?? '';
	const column = given.replace(/^-/, '');
	const sorts = definition.columns.some((one) => one.id === column && one.sorts);
	const wanted = parameters.get('columns')?.split(',') ?? [];
	const columns = definition.columns.filter(({ id }) => wanted.includes(id)).map(({ id }) => id);
	return {
		text: (parameters.get('q') ?? '').slice(0, LONGEST_TEXT).toWellFormed(),
		filters,
		sort: sorts ? { column, descending: given.startsWith('-') } : definition.sort,
		columns: columns.length > 0 ? columns : usualColumns(definition)
	};
}

const usualColumns = ({ columns }: ListDefinition) =>
	columns.filter(({ usual }) => usual).map(({ id }) => id);

/** The address of a list, without what is usual in it. */
export function writeListQuery(
	{ text, filters, sort, columns }: ListQuery,
	definition: ListDefinition
): string {
	const usual = usualColumns(definition);
	const written = new URLSearchParams([
		...(text === '' ? [] : [['q', text]]),
		...Object.entries(filters),
		...(sort.column === definition.sort.column && sort.descending === definition.sort.descending
			? []
			: [['sort', `${sort.descending ? '-' : ''}${sort.column}`]]),
		...(columns.join() === usual.join() ? [] : [['columns', columns.join(',')]])
	]);
	return written.toString();
}

/** How the list is sorted after somebody asked for a column: the same again turns it round. */
export const sortedBy = (column: string, { sort }: Pick<ListQuery, 'sort'>): ListSort => ({
	column,
	descending: sort.column === column && !sort.descending
});
