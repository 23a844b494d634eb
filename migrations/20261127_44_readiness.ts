import type { Knex } from 'knex';
import { wall } from './help/walls';

/** What stood between a site and its appointment when it was looked at last. */
export async function up(knex: Knex): Promise<void> {
	await knex.raw(`
create table site_readiness (
	site_id uuid primary key,
	customer_id uuid not null,
	gaps jsonb not null check (jsonb_typeof(gaps) = 'array'),
	looked_at timestamptz not null default now(),
	foreign key (site_id, customer_id) references site (id, customer_id) on delete cascade
);
create index if not exists site_appointments on site (appointment_at) where appointment_at is not null;
grant select on site_link to limen_bootstrap;
create policy readiness_reads on site_link for select to limen_bootstrap using (true);
`);
	await wall(knex, {
		table: 'site_readiness',
		system: {
			limen_bootstrap: 'select, insert, update, delete',
			limen_setup: 'select, insert, update, delete'
		}
	});
}

export async function down(knex: Knex): Promise<void> {
	await knex.raw(`
drop policy readiness_reads on site_link;
revoke select on site_link from limen_bootstrap;
drop index site_appointments;
drop table site_readiness`);
}
