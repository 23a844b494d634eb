import type { Knex } from 'knex';
import { wall } from './help/walls';

const EVERYTHING = 'select, insert, update, delete';
const KINDS = `'changed outside', 'put back', 'not put back', 'other host key', 'figure', 'not heard', 'said', 'late', 'drift', 'ending'`;

/** Lists of other systems are read on a schedule, compared, and taken over; one that fails again and again raises an alert. */
export async function up(knex: Knex): Promise<void> {
	await knex.raw(`
create table connector (
	id uuid primary key,
	customer_id uuid not null references customer on delete cascade,
	name text not null check (name <> '' and length(name) <= 80),
	kind text not null check (kind in ('sites', 'positions', 'units')),
	-- null: files that are put into its folder
	url text check (length(url) <= 2000),
	-- a header that the source wants, such as an authorization; sealed
	header text not null default '' check (length(header) <= 80),
	header_value text,
	-- JSON Pointers (RFC 6901): where the list is, and where the address of the next page
	records text not null default '' check (length(records) <= 200),
	next_page text not null default '' check (length(next_page) <= 200),
	-- new sites are stamped from it
	pattern_id uuid references site_pattern on delete set null,
	-- core/connector; null: nobody has chosen yet
	mapping jsonb check (jsonb_typeof(mapping) = 'object' and length(mapping::text) <= 60000),
	-- headings with samples, as they were seen last
	seen jsonb not null default '[]' check (length(seen::text) <= 400000),
	-- null: only when somebody asks
	every_minutes integer check (every_minutes between 5 and 10080),
	-- what only one side changed is taken over unasked
	by_itself boolean not null default false,
	person_id uuid not null references person,
	stated_by text not null,
	edit integer not null default 1,
	ended_at timestamptz,
	failures integer not null default 0,
	trouble text not null default '' check (length(trouble) <= 500),
	next_at timestamptz not null default now(),
	-- of the file that was read last
	last_file text not null default ''
);
create index on connector (customer_id);
create index connector_due on connector (next_at) where ended_at is null and every_minutes is not null;

create table connector_run (
	id uuid primary key,
	connector_id uuid not null references connector on delete cascade,
	customer_id uuid not null references customer on delete cascade,
	-- null: the schedule
	asked_by text,
	-- only to see which columns there are
	is_look boolean not null default false,
	begun_at timestamptz not null default now(),
	ended_at timestamptz,
	state text not null default 'waiting' check (state in ('waiting', 'compared', 'failed')),
	trouble text not null default '' check (length(trouble) <= 500),
	-- how many of each verdict
	counts jsonb not null default '{}',
	work_id uuid references long_work on delete set null,
	-- whoever takes its units in; null: nobody, or it is done
	taker_id uuid references person,
	taker text,
	check ((taker_id is null) = (taker is null)),
	check ((state = 'waiting') = (ended_at is null))
);
create index on connector_run (connector_id, id desc);
create index on connector_run (begun_at);
create unique index one_waiting_run on connector_run (connector_id) where state = 'waiting';

-- what is not as it was, record by record
create table connector_row (
	run_id uuid not null references connector_run on delete cascade,
	ordinal integer not null,
	customer_id uuid not null references customer on delete cascade,
	key text not null,
	name text not null,
	verdict text not null check (verdict in ('new', 'changed', 'conflict', 'refused', 'gone')),
	thing_id uuid,
	problems text[] not null default '{}',
	differences jsonb not null default '[]',
	-- what is remembered once it is taken over; of units, whose claim codes stand in it, sealed
	base text not null default '{}',
	taken_at timestamptz,
	primary key (run_id, ordinal)
);
create index on connector_row (run_id, verdict, ordinal);

-- each record that was taken over: as which thing, and what it said then
create table connector_record (
	connector_id uuid not null references connector on delete cascade,
	key text not null check (length(key) <= 200),
	customer_id uuid not null references customer on delete cascade,
	thing_id uuid not null,
	name text not null,
	base jsonb not null default '{}',
	gone_at timestamptz,
	primary key (connector_id, key)
);

-- an alert is about a unit, or about a connector
alter table alert alter column unit_id drop not null,
	add column connector_id uuid references connector on delete cascade,
	add constraint alert_about check (num_nonnulls(unit_id, connector_id) = 1),
	drop constraint alert_kind_check, add constraint alert_kind_check check (kind in (${KINDS}, 'connector'));
drop index one_open_alert;
create unique index one_open_alert on alert (unit_id, connector_id, kind, rule_id, part) nulls not distinct where ended_at is null;
create index on alert (connector_id) where connector_id is not null;`);
	for (const table of ['connector', 'connector_run', 'connector_row', 'connector_record'])
		await wall(knex, {
			table,
			people: ['insert', 'update'],
			system: {
				limen_bootstrap: EVERYTHING,
				limen_setup: EVERYTHING,
				...(table === 'connector_run' && { limen_clean_up: 'select, delete' })
			}
		});
}

export async function down(knex: Knex): Promise<void> {
	await knex.raw(`
delete from alert where connector_id is not null;
drop index one_open_alert;
alter table alert drop column connector_id, alter column unit_id set not null,
	drop constraint alert_kind_check, add constraint alert_kind_check check (kind in (${KINDS}));
create unique index one_open_alert on alert (unit_id, kind, rule_id, part) nulls not distinct where ended_at is null;
drop table connector_record, connector_row, connector_run, connector`);
}
