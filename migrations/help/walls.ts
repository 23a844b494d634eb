import type { Knex } from 'knex';

/** What the walls of a table need: a customer's rows are seen by who reads there and changed by who may change there. */
interface Wall {
	readonly table: string;
	/** The column that says to which customer a row belongs. */
	readonly customer?: string;
	/** What signed-in people and programs may do beside reading. */
	readonly people?: readonly ('insert' | 'update' | 'delete')[];
	/** The application's own identities, and what each may do. */
	readonly system: Readonly<Record<string, string>>;
}

/** Grants and policies of a customer's table. */
export async function wall(
	knex: Knex,
	{ table, customer = 'customer_id', people = [], system }: Wall
): Promise<void> {
	const reads = `(select limen_sees_all()) or ${customer} = any ((select limen_reads())::uuid[])`;
	const changes = `(select limen_sees_all()) or ${customer} = any ((select limen_changes())::uuid[])`;
	const policies = {
		insert: `create policy add on ${table} for insert to limen_people with check (${changes})`,
		update: `create policy change on ${table} for update to limen_people using (${changes}) with check (${changes})`,
		delete: `create policy remove on ${table} for delete to limen_people using (${changes})`
	};
	const roles = Object.keys(system);
	await knex.raw(
		[
			`alter table ${table} enable row level security`,
			`grant ${['select', ...people].join(', ')} on ${table} to limen_people`,
			`create policy read on ${table} for select to limen_people using (${reads})`,
			...people.map((act) => policies[act]),
			...roles.map((role) => `grant ${system[role]} on ${table} to ${role}`),
			`create policy system on ${table} to ${roles.join(', ')} using (true)`
		].join(';\n')
	);
}
