import type { Knex } from 'knex';
import { wall } from './help/walls';

const EVERYTHING = 'select, insert, update, delete';

/** Reports are kept with their data, sent by letter on a schedule, and look as their customer's papers do. */
export async function up(knex: Knex): Promise<void> {
	await knex.raw(`
create table customer_look (
	customer_id uuid primary key references customer on delete cascade,
	-- as it stands on paper; empty: as the customer is called here
	name text not null default '' check (length(name) <= 120),
	colour text check (colour ~ '^#[0-9a-f]{6}$'),
	logo bytea check (length(logo) between 1 and 204800),
	logo_kind text check (logo_kind in ('image/png', 'image/jpeg')),
	edit integer not null default 1,
	check ((logo is null) = (logo_kind is null))
);

create table report_schedule (
	id uuid primary key,
	name text not null check (name <> '' and length(name) <= 120),
	-- null: of every customer that whoever states it sees
	customer_id uuid references customer on delete cascade,
	person_id uuid not null references person,
	stated_by text not null,
	-- what it tells, without its period (core/report)
	choice jsonb not null,
	every text not null check (every in ('day', 'week', 'month')),
	on_day integer not null check (on_day between 0 and 28),
	hour integer not null check (hour between 0 and 23),
	zone text not null check (zone <> ''),
	recipients text[] not null check (cardinality(recipients) between 1 and 20),
	is_on boolean not null default true,
	edit integer not null default 1,
	-- what was due before is not made up for
	since timestamptz not null default now(),
	-- the day of the last one that was due
	last_day date,
	ended_at timestamptz
);
create index on report_schedule (customer_id) where ended_at is null;

create table report (
	id uuid primary key,
	schedule_id uuid references report_schedule,
	-- of the schedule, by its zone
	day date,
	customer_id uuid references customer on delete cascade,
	person_id uuid not null references person,
	asked_by text not null,
	asked_at timestamptz not null default now(),
	-- what was asked for, with its period (core/report)
	asked jsonb not null,
	zone text not null,
	recipients text[] not null default '{}',
	state text not null default 'waiting' check (state in ('waiting', 'made', 'failed')),
	problem text not null default '' check (length(problem) <= 500),
	made_at timestamptz,
	-- as the page shows it; all of its figures are in its files
	document jsonb,
	keep_until date not null,
	unique (schedule_id, day),
	check ((schedule_id is null) = (day is null)),
	check ((state = 'made') = (document is not null)),
	check ((state = 'made') = (made_at is not null))
);
create index on report (customer_id, asked_at desc);
create index on report (person_id, asked_at desc);
create index on report (keep_until);

create table report_file (
	report_id uuid references report on delete cascade,
	kind text check (kind in ('pdf', 'xlsx', 'csv')),
	content bytea not null,
	primary key (report_id, kind)
);
-- packed already
alter table report_file alter column content set storage external;

alter table mail add column report_id uuid references report on delete cascade;
create index on mail (report_id) where report_id is not null;

-- at which customers whoever is signed in may read what people did: not those who are the customer's own
create function limen_reads_records() returns uuid[] language plpgsql stable security definer set search_path = public, pg_temp as $$
begin
	return array(
		select customer_id from membership join person on person.id = person_id
		where person_id = limen_person() and disabled_at is null and duty <> 'reader'
	);
end $$;
revoke all on function limen_reads_records from public;
grant execute on function limen_reads_records to limen_people;`);
	await wall(knex, {
		table: 'customer_look',
		system: { limen_bootstrap: 'select', limen_setup: EVERYTHING }
	});
	await knex.raw(`
grant insert, update on customer_look to limen_people;
create policy state on customer_look for all to limen_people using ((select limen_sees_all())) with check ((select limen_sees_all()));

-- one's own; and of a customer those of others, for whoever reads its records: what stands in them may tell what people did
${['report', 'report_schedule']
	.map(
		(table) => `alter table ${table} enable row level security;
create policy read on ${table} for select to limen_people using (
	(select limen_sees_all()) or person_id = (select limen_person()) or customer_id = any ((select limen_reads_records())::uuid[]));
create policy ask on ${table} for insert to limen_people with check (
	person_id = (select limen_person()) and (customer_id is null or (select limen_sees_all()) or customer_id = any ((select limen_reads())::uuid[])));
grant ${EVERYTHING} on ${table} to limen_bootstrap, limen_setup;
create policy system on ${table} to limen_bootstrap, limen_setup using (true);`
	)
	.join('\n')}
grant select, insert on report to limen_people;
grant update (keep_until) on report to limen_people;
grant select, insert, update on report_schedule to limen_people;
create policy change on report_schedule for update to limen_people using (
	(select limen_sees_all()) or person_id = (select limen_person()) or customer_id = any ((select limen_changes())::uuid[]));
create policy keep on report for update to limen_people using (
	(select limen_sees_all()) or person_id = (select limen_person()) or customer_id = any ((select limen_changes())::uuid[]));

alter table report_file enable row level security;
grant select on report_file to limen_people;
create policy read on report_file for select to limen_people using (exists (select from report where report.id = report_id));
grant ${EVERYTHING} on report_file to limen_bootstrap, limen_setup;
create policy system on report_file to limen_bootstrap, limen_setup using (true);

-- letters with reports: who sees the report sees whom it went to, never their words
grant select (id, report_id, to_address, written_at, sent_at, given_up_at, problem) on mail to limen_people;
create policy of_report on mail for select to limen_people using (report_id is not null and exists (select from report where report.id = report_id));
create policy with_report on mail for insert to limen_people with check (report_id is not null and exists (select from report where report.id = report_id));
grant select, insert on mail to limen_bootstrap;
create policy with_report_too on mail to limen_bootstrap using (report_id is not null) with check (report_id is not null);
grant select on report, report_file to limen_sign_in;
create policy sending on report for select to limen_sign_in using (true);
create policy sending on report_file for select to limen_sign_in using (true);
grant select, delete on report to limen_clean_up;
create policy clean_up on report to limen_clean_up using (true);`);
}

export async function down(knex: Knex): Promise<void> {
	await knex.raw(`
drop policy of_report on mail; drop policy with_report on mail; drop policy with_report_too on mail;
revoke select, insert on mail from limen_bootstrap;
revoke select (id, report_id, to_address, written_at, sent_at, given_up_at, problem) on mail from limen_people;
alter table mail drop column report_id;
drop table report_file, report, report_schedule, customer_look;
drop function limen_reads_records`);
}
