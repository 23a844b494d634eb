import type pg from 'pg';

/**
 * What is a customer's, by the database's own catalogue: every table whose rows name a customer goes with them, unless it stands
 * here with the reason. A test fails for a table that nobody has thought of.
 */
export const LEFT_OUT: Readonly<Record<string, string>> = {
	ledger_entry: 'The ledger is a chain of one installation: it goes along to be read, and is not brought in.',
	membership: 'Who works for the customer is the firm’s matter.',
	firm_group: 'Groups are of the firm’s own identity provider.',
	service_token_customer: 'Tokens are of one installation.',
	webhook: 'Programs that are told are the firm’s.',
	webhook_delivery: 'Programs that are told are the firm’s.',
	wall_screen: 'A screen’s address is of one installation.',
	site_link: 'Addresses on cards are of one installation.',
	unit_connection: 'A connection is of a process that runs.',
	reach_turn: 'Whose turn it is follows from the plan.',
	voucher: 'A voucher names the owner that asked for it: it is asked for again.',
	claim_request: 'What waits for a registry is asked by who it is asked for.',
	caller: 'Who stands at the door stands at one installation’s.',
	long_work: 'What is under way ends where it was begun.',
	long_work_item: 'What is under way ends where it was begun.',
	connector_run: 'A reading is made again.',
	connector_row: 'A reading is made again.',
	survey_address: 'A survey that is under way ends where it was begun; what it found goes along.',
	survey_run: 'A survey that is under way ends where it was begun; what it found goes along.',
	survey_station: 'A survey that is under way ends where it was begun; what it found goes along.',
	rollout_item: 'Rollouts are over many customers; what became of each unit stands in its flashes and sends.',
	rollout_secret:
		'Rollouts are over many customers; what became of each unit stands in its flashes and sends.',
	rollout: 'Rollouts are over many customers; what became of each unit stands in its flashes and sends.',
	archive_words: 'It is an index of what units run, and made anew.'
};

/** What customers share, of which a customer’s own rows need some; with what belongs to those rows. */
export const SHARED: readonly string[] = [
	...['person', 'maker', 'pack', 'grammar', 'role', 'model', 'model_role', 'owner_key'],
	...['profile', 'profile_revision', 'profile_part', 'part', 'part_revision'],
	...['run_step', 'step_group', 'failure_signature', 'report_file']
];
const BELONGS: readonly (readonly [child: string, parent: string])[] = [
	['profile_revision', 'profile'],
	['profile_part', 'profile_revision'],
	['part_revision', 'part'],
	['pack', 'maker'],
	['model', 'maker'],
	['model_role', 'model'],
	['report_file', 'report']
];
/** Of some only a part leaves: who somebody is, and not how they come in; whose key it was, and not the key. */
const ONLY: Readonly<Record<string, readonly string[]>> = {
	person: ['id', 'name', 'email'],
	owner_key: ['id', 'certificate', 'made_at', 'customer_id']
};

export interface ForeignKey {
	readonly name: string;
	readonly child: string;
	readonly parent: string;
	readonly columns: readonly string[];
	readonly parentColumns: readonly string[];
	/** As it is written, to be made anew. */
	readonly definition: string;
}
export interface Column {
	readonly name: string;
	readonly isNullable: boolean;
}
export interface Catalogue {
	/** Those whose rows name a customer, or the customer itself. */
	readonly own: readonly string[];
	readonly keys: readonly ForeignKey[];
	/** Columns that can be written, by table, each as it goes along. */
	readonly columns: ReadonlyMap<string, readonly Column[]>;
	/** In which order a table's rows are written. */
	readonly order: ReadonlyMap<string, string>;
	/** The newest migration: rows are read in by the same. */
	readonly schema: string;
}

/** Reads what there is of tables, keys and columns. */
export async function readCatalogue(client: pg.ClientBase): Promise<Catalogue> {
	const { rows: columns } = await client.query<{
		table: string;
		columns: Column[];
		owned: boolean;
		order: string | null;
	}>(`
		select c.relname as table, jsonb_agg(jsonb_build_object('name', a.attname, 'isNullable', not a.attnotnull) order by a.attnum) filter (where a.attgenerated = '') as columns,
			bool_or(a.attname = 'customer_id') as owned,
			(select string_agg(quote_ident(k.attname), ', ' order by array_position(i.indkey::int2[], k.attnum)) from pg_index i join pg_attribute k on k.attrelid = c.oid and k.attnum = any (i.indkey)
				where i.indrelid = c.oid and indisprimary) as order
		from pg_class c join pg_attribute a on a.attrelid = c.oid and a.attnum > 0 and not a.attisdropped
		where c.relnamespace = 'public'::regnamespace and c.relkind in ('r', 'p') and not c.relispartition group by c.oid, c.relname`);
	const { rows: keys } = await client.query<ForeignKey>(`
		select k.conname as name, child.relname as child, parent.relname as parent, pg_get_constraintdef(k.oid) as definition,
			array(select a.attname::text from unnest(k.conkey) with ordinality as u(at, place) join pg_attribute a on a.attrelid = k.conrelid and a.attnum = u.at order by place) as columns,
			array(select a.attname::text from unnest(k.confkey) with ordinality as u(at, place) join pg_attribute a on a.attrelid = k.confrelid and a.attnum = u.at order by place) as "parentColumns"
		from pg_constraint k join pg_class child on child.oid = k.conrelid join pg_class parent on parent.oid = k.confrelid
		where k.contype = 'f' and k.conparentid = 0 and k.connamespace = 'public'::regnamespace order by 2, 1`);
	const { rows: migrations } = await client.query<{ name: string }>(
		'select name from knex_migrations order by id desc limit 1'
	);
	return {
		own: columns
			.filter(({ table, owned }) => owned && !(table in LEFT_OUT) && !SHARED.includes(table))
			.map(({ table }) => table)
			.concat('customer')
			.sort(),
		keys,
		columns: new Map(
			columns.map(({ table, columns: all }) => [
				table,
				ONLY[table] ? all.filter(({ name }) => ONLY[table]!.includes(name)) : all
			])
		),
		order: new Map(columns.map(({ table, order }) => [table, order ?? 'row_to_json(t)::text'])),
		schema: migrations[0]!.name.replace(/\.ts$/, '')
	};
}

/** Of whom a table's rows are. */
export const belongsTo = (table: string): string => (table === 'customer' ? 'id' : 'customer_id');

/** What of the shared tables a customer’s rows lead to, and what belongs to that, as a temporary table of places. */
export async function findShared(
	client: pg.ClientBase,
	{ own, keys }: Catalogue,
	customerId: string
): Promise<void> {
	await client.query(
		'create temporary table needed (of text, place tid, primary key (of, place)) on commit drop'
	);
	const owned = new Set(own);
	const shared = new Set(SHARED);
	const leads = keys.filter(
		({ child, parent }) => shared.has(parent) && (owned.has(child) || shared.has(child))
	);
	const joins = ({ columns, parentColumns }: ForeignKey) =>
		columns.map((name, at) => `child."${name}" = parent."${parentColumns[at]}"`).join(' and ');
	const isNeeded = (table: string, alias: string) =>
		`exists (select from needed where of = '${table}' and place = ${alias}.ctid)`;
	const isTheirs = (table: string) =>
		owned.has(table) ? `child."${belongsTo(table)}" = '${customerId}'` : isNeeded(table, 'child');
	const steps = [
		...leads.map(
			(key) =>
				`insert into needed select '${key.parent}', parent.ctid from "${key.parent}" parent where exists (select from "${key.child}" child where ${joins(key)} and ${isTheirs(key.child)}) on conflict do nothing`
		),
		...keys
			.filter(({ child, parent }) => BELONGS.some(([own, of]) => own === child && of === parent))
			.map(
				(key) =>
					`insert into needed select '${key.child}', child.ctid from "${key.child}" child join "${key.parent}" parent on ${joins(key)} where ${owned.has(key.parent) ? `parent."${belongsTo(key.parent)}" = '${customerId}'` : isNeeded(key.parent, 'parent')} on conflict do nothing`
			)
	];
	for (let grew = true; grew;) {
		grew = false;
		for (const step of steps) grew = ((await client.query(step)).rowCount ?? 0) > 0 || grew;
	}
}

/**
 * A customer's columns as they go along: what leads to something that stays behind, such as a rule of the firm for everybody, is
 * cut where it can be empty.
 */
export function selected({ own, keys, columns }: Catalogue, table: string, customerId: string): string {
	const owned = new Set(own);
	return columns
		.get(table)!
		.map(({ name, isNullable }) => {
			const away = keys.find(
				(key) =>
					isNullable &&
					key.child === table &&
					key.columns.length === 1 &&
					key.columns[0] === name &&
					!SHARED.includes(key.parent)
			);
			if (!away) return `t."${name}"`;
			if (!owned.has(away.parent)) return `null as "${name}"`;
			return `(select p."${away.parentColumns[0]}" from "${away.parent}" p where p."${away.parentColumns[0]}" = t."${name}" and p."${belongsTo(away.parent)}" = '${customerId}') as "${name}"`;
		})
		.join(', ');
}
