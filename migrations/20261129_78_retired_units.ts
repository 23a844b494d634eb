import type { Knex } from 'knex';
import { wall } from './help/walls';

/** Ids of units with a part of a label, past the walls' own way of leaving indexes out; `live`: which of them count. */
const unitsLike = (live: string): string => `
create or replace function limen_units_like(part text, mac_part text, wanted uuid, most integer) returns setof uuid
language plpgsql stable security definer set search_path = public, pg_temp as $$
declare
	sees_all boolean := limen_sees_all() or current_setting('role') = 'limen_setup';
	reads uuid[] := limen_reads();
begin
	return query select id from unit where serial like part and (wanted is null or customer_id = wanted)
		and (sees_all or customer_id = any (reads))${live} limit most;
	if mac_part is not null then
		return query select id from unit where limen_plain_mac(mac) like mac_part and (wanted is null or customer_id = wanted)
			and (sees_all or customer_id = any (reads))${live} limit most;
	end if;
end $$;`;

/**
 * What is known of a retired unit is kept, in this order, so that nothing refers to what goes: by which rows are the unit's,
 * and when each was.
 */
const KEPT: readonly (readonly [table: string, of: string, at: string])[] = [
	['alert_note', 'alert_id in (select id from alert where alert.unit_id = retiring)', 'at'],
	['alert', 'unit_id = retiring', 'begun_at'],
	['event', 'unit_id = retiring', 'at'],
	['dialogue', 'unit_id = retiring', 'at'],
	['reading', 'unit_id = retiring', 'at'],
	['errand', 'unit_id = retiring', 'asked_at'],
	['finding', 'unit_id = retiring', 'found_at'],
	['drift_look', 'unit_id = retiring', 'at'],
	['archive_version', 'unit_id = retiring', 'at'],
	['intention', 'unit_id = retiring', 'at'],
	['absence', 'unit_id = retiring', 'from_at'],
	['unit_fact', 'unit_id = retiring', 'since'],
	['run_event', 'run_id in (select id from run where run.unit_id = retiring)', 'at']
];
/** Of no use without the unit. */
const DROPPED = [
	'unit_drift',
	'unit_due',
	'unit_name',
	'unit_host_key',
	'unit_reach',
	'unit_connection',
	'voucher',
	'claim_request',
	'binding_proposal',
	'stance',
	'archive_words'
];
/** What is destroyed with it when its term is over: also its part in what was done to many. */
const DESTROYED = [
	'rollout_secret where unit_id = gone',
	'rollout_item where unit_id = gone',
	'rotation_end where unit_id = gone or rotation_id in (select id from rotation where rotation.unit_id = gone)',
	'rotation_secret where rotation_id in (select id from rotation where rotation.unit_id = gone)',
	'rotation where unit_id = gone',
	'replacement_place where unit_id = gone or old_unit_id = gone',
	'site_check where unit_id = gone',
	'flash where unit_id = gone',
	'send where unit_id = gone',
	'step_time where run_id in (select id from run where run.unit_id = gone)',
	'run where unit_id = gone',
	'health_reading where unit_id = gone',
	'health_hour where unit_id = gone',
	'health_day where unit_id = gone',
	'retired_row where unit_id = gone'
];

/** Units are retired: out of all that is looked at daily, kept for their customer's term, then destroyed with a record. */
export async function up(knex: Knex): Promise<void> {
	await knex.raw(`
-- for how many years what is known of a retired unit is kept
alter table customer add column term_years integer not null default 3 check (term_years between 1 and 7);
grant update (term_years) on customer to limen_people;

alter table unit add column retired_at timestamptz, add column retired_by text, add column destroy_on date,
	add check (num_nonnulls(retired_at, retired_by, destroy_on) in (0, 3)),
	add check (retired_at is null or out_of_service_at is not null);
-- a label that was retired can be taken in anew
alter table unit drop constraint unit_serial_maker_id_key, drop constraint unit_mac_key;
create unique index unit_serial_maker_id_key on unit (serial, maker_id) where retired_at is null;
create unique index unit_mac_key on unit (mac) where retired_at is null;
create index unit_in_use on unit (customer_id, id) where retired_at is null;
create index unit_retired on unit (destroy_on) where retired_at is not null;
create index unit_retired_serial on unit (serial) where retired_at is not null;
-- nothing that the application asks sees a retired unit, unless it asks for retired ones by the view below
create policy in_use on unit as restrictive using (retired_at is null);

create table unit_fact (
	unit_id uuid not null references unit,
	customer_id uuid not null references customer,
	fact text not null check (fact in ('serial', 'model', 'mac', 'memory', 'modules')),
	value text not null check (length(value) <= 2000),
	since timestamptz not null default now(),
	-- null: it is so
	until timestamptz,
	primary key (unit_id, fact, since)
);
create unique index unit_fact_now on unit_fact (unit_id, fact) where until is null;

create table retired_row (
	unit_id uuid not null,
	customer_id uuid not null,
	destroy_on date not null,
	-- the table that it was in
	what text not null,
	at timestamptz not null,
	content jsonb not null
) partition by range (destroy_on);
create index on retired_row (unit_id, what, at);

create table destruction (
	unit_id uuid primary key,
	customer_id uuid not null references customer,
	serial text not null,
	maker_id text not null,
	model_id text not null,
	claimed_at timestamptz not null,
	retired_at timestamptz not null,
	retired_by text not null,
	destroyed_at timestamptz not null default now(),
	-- how many rows of what
	what jsonb not null
);

create view retired_unit with (security_barrier = true) as
	select unit.* from unit where retired_at is not null
		and ((select limen_sees_all()) or customer_id = any ((select limen_reads())::uuid[]) or current_user in ('limen_bootstrap', 'limen_setup'));
-- for what tells of the past: units in use and retired ones alike
create view any_unit with (security_barrier = true) as
	select unit.* from unit where (select limen_sees_all()) or customer_id = any ((select limen_reads())::uuid[])
		or current_user in ('limen_bootstrap', 'limen_setup');
grant select on retired_unit, any_unit to limen_people, limen_bootstrap, limen_setup;

create function limen_retire(retiring uuid, by_whom text, why text) returns date
language plpgsql security definer set search_path = public, pg_temp as $$
declare
	one record;
	ends date;
begin
	select unit.customer_id, term_years into one from unit join customer on customer.id = unit.customer_id
		where unit.id = retiring and retired_at is null for update of unit;
	if not found then raise exception 'there is no such unit in use' using errcode = 'no_data_found'; end if;
	if not (limen_sees_all() or one.customer_id = any (coalesce(limen_changes(), '{}'))) then
		raise exception 'the unit is not theirs to retire' using errcode = 'insufficient_privilege';
	end if;
	ends := (now() + make_interval(years => one.term_years))::date;
	perform pg_advisory_xact_lock(hashtext('limen_retired_row'));
	execute format('create table if not exists retired_row_%s partition of retired_row for values from (%L) to (%L)',
		extract(year from ends), make_date(extract(year from ends)::int, 1, 1), make_date(extract(year from ends)::int + 1, 1, 1));
	${DROPPED.map((table) => `delete from ${table} where unit_id = retiring;`).join('\n\t')}
	${KEPT.map(
		([
			table,
			of,
			at
		]) => `insert into retired_row select retiring, one.customer_id, ends, '${table}', ${at}, to_jsonb(${table}) from ${table} where ${of};
	delete from ${table} where ${of};`
	).join('\n\t')}
	update unit set retired_at = now(), retired_by = by_whom, destroy_on = ends,
		out_of_service_at = coalesce(out_of_service_at, now()), out_of_service_why = coalesce(out_of_service_why, why) where id = retiring;
	return ends;
end $$;

-- all that is known of units whose term is over, at most so many; what was, is told
create function limen_destroy_retired(most integer) returns setof destruction
language plpgsql security definer set search_path = public, pg_temp as $$
declare
	one unit;
	gone uuid;
	what jsonb;
	made destruction;
begin
	for one in select * from unit where retired_at is not null and destroy_on <= current_date order by destroy_on, id limit most for update skip locked loop
		gone := one.id;
		select coalesce(jsonb_object_agg(counted.what, counted.rows), '{}') into what from (
			select r.what, count(*) as rows from retired_row r where r.unit_id = gone group by 1
			union all select 'run', count(*) from run where run.unit_id = gone
			union all select 'send', count(*) from send where send.unit_id = gone
			union all select 'flash', count(*) from flash where flash.unit_id = gone
		) counted;
		-- also what an answer that was under way brought after it was retired
		${[...DROPPED.map((table) => `${table} where unit_id = gone`), ...KEPT.map(([table, of]) => `${table} where ${of.replaceAll('retiring', 'gone')}`), ...DESTROYED].map((one) => `delete from ${one};`).join('\n\t\t')}
		update take_on_unit set unit_id = null where unit_id = gone;
		update unit set replaced_by = null where replaced_by = gone;
		delete from unit where id = gone;
		insert into destruction (unit_id, customer_id, serial, maker_id, model_id, claimed_at, retired_at, retired_by, what)
			values (gone, one.customer_id, one.serial, one.maker_id, one.model_id, one.claimed_at, one.retired_at, one.retired_by, what) returning * into made;
		return next made;
	end loop;
end $$;
revoke all on function limen_retire, limen_destroy_retired from public;
grant execute on function limen_retire to limen_people;
grant execute on function limen_destroy_retired to limen_bootstrap;

create or replace function limen_taken(wanting uuid, serials text[], macs macaddr[]) returns table (serial text, maker_id text, mac macaddr, ours boolean)
language sql stable security definer set search_path = public, pg_temp as $$
	select serial, maker_id, mac, customer_id = wanting from unit where (serial = any (serials) or mac = any (macs)) and retired_at is null
$$;
${unitsLike(' and retired_at is null')}`);
	const system = {
		limen_bootstrap: 'select, insert, update, delete',
		limen_setup: 'select, insert, update, delete'
	};
	for (const table of ['unit_fact', 'retired_row', 'destruction']) await wall(knex, { table, system });
}

export async function down(knex: Knex): Promise<void> {
	await knex.raw(`
create or replace function limen_taken(wanting uuid, serials text[], macs macaddr[]) returns table (serial text, maker_id text, mac macaddr, ours boolean)
language sql stable security definer set search_path = public, pg_temp as $$
	select serial, maker_id, mac, customer_id = wanting from unit where serial = any (serials) or mac = any (macs)
$$;
${unitsLike('')}
drop function limen_destroy_retired; drop function limen_retire;
drop view any_unit, retired_unit;
drop table destruction, retired_row, unit_fact;
drop policy in_use on unit;
drop index unit_retired_serial, unit_retired, unit_in_use, unit_mac_key, unit_serial_maker_id_key;
alter table unit drop column retired_at, drop column retired_by, drop column destroy_on,
	add constraint unit_serial_maker_id_key unique (serial, maker_id), add constraint unit_mac_key unique (mac);
revoke update (term_years) on customer from limen_people;
alter table customer drop column term_years`);
}
