import type { Knex } from 'knex';
import { wall } from './help/walls';

const EVERYTHING = 'select, insert, update';
const SYSTEM = {
	limen_bootstrap: EVERYTHING,
	limen_setup: 'select, insert, update, delete',
	limen_clean_up: 'select'
};
const TABLES = { health_reading: 1, health_hour: 7, health_day: 364 };

/**
 * How units do: a row for each unit and stretch of time with its figures in it, in partitions by time; and when units were
 * away. The rows have no key to their unit: there are tens of thousands a minute, and they go with their partition.
 */
export async function up(knex: Knex): Promise<void> {
	await knex.raw(`
${Object.keys(TABLES)
	.map(
		(table) => `create table ${table} (
	unit_id uuid not null,
	customer_id uuid not null,
	-- where the stretch begins
	at timestamptz not null,
	-- by key: a number, or [min, mean, max, share of the stretch that is known]
	figures jsonb not null,
	primary key (unit_id, at)
) partition by range (at)`
	)
	.join(';\n')};

-- up to when readings are gathered into hours, and hours into days of a zone
create table health_gathered (
	grain text not null check (grain in ('hour', 'day')),
	zone text not null default '',
	until timestamptz not null,
	primary key (grain, zone)
);

-- a unit that had come through was not connected; written when it is back
create table absence (
	unit_id uuid not null references unit,
	customer_id uuid not null references customer,
	from_at timestamptz not null,
	to_at timestamptz not null,
	-- what was done to it when it went; empty: nothing that Limen knows of
	planned text not null default '' check (length(planned) <= 40),
	check (from_at < to_at),
	primary key (unit_id, from_at)
);
create index on absence (customer_id, to_at);

-- Makes the partitions from a moment until some time ahead, and drops what is older than it is kept. Widths in days.
create function limen_keep_health(since timestamptz, reading_days integer, hour_days integer, day_days integer) returns void
language plpgsql security definer set search_path = public, pg_temp as $$
declare
	part record;
	old record;
	begins timestamptz;
	kept timestamptz;
begin
	set local lock_timeout = '5s';
	-- several processes start at once
	perform pg_advisory_xact_lock(hashtext('limen_keep_health'));
	for part in select * from (values ${Object.entries(TABLES)
		.map(
			([table, days]) =>
				`('${table}', interval '${days} days', ${table === 'health_reading' ? 'reading_days' : table === 'health_hour' ? 'hour_days' : 'day_days'})`
		)
		.join(', ')}) as p(name, width, days)
	loop
		kept := now() - make_interval(days => part.days);
		begins := date_bin(part.width, greatest(since, kept), '2024-01-01T00:00:00Z');
		while begins < now() + 2 * part.width loop
			if to_regclass(format('%s_%s', part.name, to_char(begins at time zone 'UTC', 'YYYYMMDD'))) is null then
				execute format('create table %s_%s (like %1$s including defaults including constraints including indexes)', part.name, to_char(begins at time zone 'UTC', 'YYYYMMDD'));
				execute format('alter table %s attach partition %1$s_%s for values from (%L) to (%L)', part.name, to_char(begins at time zone 'UTC', 'YYYYMMDD'), begins, begins + part.width);
			end if;
			begins := begins + part.width;
		end loop;
		for old in select child.relname as name from pg_inherits join pg_class child on child.oid = inhrelid
			where inhparent = part.name::regclass
				and (right(child.relname, 8)::date::timestamp at time zone 'UTC') + part.width < kept
		loop
			execute format('drop table %s', old.name);
		end loop;
	end loop;
end $$;
revoke execute on function limen_keep_health from public;
grant execute on function limen_keep_health to limen_clean_up, limen_setup, limen_bootstrap;
grant select, insert, update on health_gathered to limen_bootstrap, limen_setup;
select limen_keep_health(now() - interval '1 day', 2, 30, 1096);
`);
	for (const table of Object.keys(TABLES)) await wall(knex, { table, system: SYSTEM });
	await wall(knex, { table: 'absence', system: { ...SYSTEM, limen_clean_up: 'select, delete' } });
}

export async function down(knex: Knex): Promise<void> {
	await knex.raw(`
drop function limen_keep_health;
drop table absence, health_gathered, ${Object.keys(TABLES).join(', ')}`);
}
