import type { Knex } from 'knex';

interface TableRow {
	readonly table: string;
	readonly words: string | null;
	readonly columns: readonly {
		readonly name: string;
		readonly type: string;
		readonly isKey: boolean;
		readonly mayBeNull: boolean;
		readonly to: string | null;
	}[];
}

const TABLES = `
	with named as (
		select c.oid, c.relname as name, obj_description(c.oid, 'pg_class') as words from pg_class c
		where relnamespace = 'public'::regnamespace and relkind in ('r', 'p') and not relispartition
	), referred as (
		-- a column that refers to one table alone; what leads to a part of the same customer leads to that part
		select conrelid, conkey[1] as attnum, there.relname as "to" from pg_constraint join pg_class there on there.oid = confrelid
		where contype = 'f' and conparentid = 0
	)
	select named.name as "table", named.words, json_agg(json_build_object(
		'name', a.attname, 'type', format_type(a.atttypid, a.atttypmod), 'mayBeNull', not a.attnotnull,
		'isKey', exists (select from pg_index where indrelid = named.oid and indisprimary and a.attnum = any (indkey)),
		'to', (select min("to") from referred where conrelid = named.oid and referred.attnum = a.attnum)
	) order by a.attnum) as columns
	from named join pg_attribute a on a.attrelid = named.oid and a.attnum > 0 and not a.attisdropped
	group by named.oid, named.name, named.words order by named.name`;

const SHORT: Readonly<Record<string, string>> = {
	'timestamp with time zone': 'moment',
	'double precision': 'float',
	'character varying': 'text'
};
const columnWords = ({ name, type, isKey, mayBeNull, to }: TableRow['columns'][number]): string => {
	const kind = to ? `→ [${to}](#${to})` : (SHORT[type] ?? type);
	return `${isKey ? `**${name}**` : name} ${kind}${mayBeNull ? '?' : ''}`;
};
const HEAD = `# What the database holds

Drawn from the database itself by \`./limen schema\`: each table under the room of \`src/lib/server\` that writes it. Bold: its key;
→: the table that it refers to; ?: it may be missing; moment: a point in time. What else the database holds to (checks, moves
between states, who sees which rows) stands in \`migrations\`.
`;

/**
 * The tables of the database as a document in Markdown, by the rooms that their comments (`room: words`) name. Read as the
 * owner. Rejects where a table has no comment: nobody has said what it holds.
 */
export async function drawSchema(knex: Knex): Promise<string> {
	const { rows } = (await knex.raw(TABLES)) as { rows: readonly TableRow[] };
	const rooms = new Map<string, string[]>();
	for (const { table, words, columns } of rows) {
		const said = /^([a-z-]+): (.+)$/.exec(words ?? '');
		if (!said)
			throw new Error(`Nobody has said what the table ${table} holds: comment on it in its migration.`);
		const [, room, holds] = said as unknown as [string, string, string];
		const drawn = `### ${table}\n\n${holds}\n\n${columns.map(columnWords).join(' · ')}\n`;
		rooms.set(room, [...(rooms.get(room) ?? []), drawn]);
	}
	const inOrder = [...rooms].sort(([one], [other]) => (one < other ? -1 : 1));
	return [HEAD, ...inOrder.map(([room, tables]) => `## ${room}\n\n${tables.join('\n')}`)].join('\n');
}
