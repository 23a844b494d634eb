import type { Knex } from 'knex';
import { wall } from './help/walls';

const EVERYTHING = 'select, insert, update, delete';
const KINDS = `'changed outside', 'put back', 'not put back', 'other host key'`;

/** What a person should see is ruled: figures past a limit, units that are not heard, words that units say. */
export async function up(knex: Knex): Promise<void> {
	await knex.raw(`
create table alert_rule (
	id uuid primary key,
	-- null: for every customer
	customer_id uuid references customer on delete cascade,
	name text not null check (name <> '' and length(name) <= 120),
	-- core/alerts
	rule jsonb not null check (jsonb_typeof(rule) = 'object' and length(rule::text) <= 2000),
	is_on boolean not null default true,
	edit integer not null default 1,
	made_by text not null,
	made_at timestamptz not null default now()
);
create index on alert_rule (customer_id);
alter table alert_rule enable row level security;
grant select, insert, update, delete on alert_rule to limen_people;
create policy read on alert_rule for select to limen_people
	using (customer_id is null or (select limen_sees_all()) or customer_id = any ((select limen_reads())::uuid[]));
${['insert', 'update', 'delete']
	.map(
		(act) => `create policy ${act}_own on alert_rule for ${act} to limen_people
	${act === 'insert' ? 'with check' : 'using'} ((select limen_sees_all()) or customer_id = any ((select limen_changes())::uuid[]));`
	)
	.join('\n')}
grant ${EVERYTHING} on alert_rule to limen_bootstrap, limen_setup;
create policy system on alert_rule to limen_bootstrap, limen_setup using (true);
insert into alert_rule (id, name, rule, made_by) values
	(gen_random_uuid(), 'Not heard', '{"about": "not heard", "minutes": 10}', 'Limen'),
	(gen_random_uuid(), 'Busy for an hour', '{"about": "figure", "figure": "processor", "side": "above", "limit": 90, "back": 75, "minutes": 60}', 'Limen'),
	(gen_random_uuid(), 'Hot', '{"about": "figure", "figure": "temperature", "side": "above", "limit": 75, "back": 70, "minutes": 15}', 'Limen');

alter table alert drop constraint alert_kind_check,
	add constraint alert_kind_check check (kind in (${KINDS}, 'figure', 'not heard', 'said')),
	add column rule_id uuid references alert_rule on delete set null,
	-- of which port or tunnel, where it is about one
	add column part text not null default '' check (length(part) <= 80),
	-- other units that are away because this one is
	add column with_units uuid[] not null default '{}',
	-- who takes care of it
	add column owner_id uuid references person,
	add column owner text,
	add check ((owner_id is null) = (owner is null));
drop index one_open_alert;
create unique index one_open_alert on alert (unit_id, kind, rule_id, part) nulls not distinct where ended_at is null;
create index on alert (rule_id);

create table alert_note (
	id uuid primary key,
	alert_id uuid not null references alert on delete cascade,
	customer_id uuid not null references customer,
	at timestamptz not null default now(),
	by_whom text not null,
	words text not null check (words <> '' and length(words) <= 2000)
);
create index on alert_note (alert_id)`);
	await wall(knex, {
		table: 'alert_note',
		people: ['insert'],
		system: { limen_bootstrap: EVERYTHING, limen_setup: EVERYTHING, limen_clean_up: 'select, delete' }
	});
}

export async function down(knex: Knex): Promise<void> {
	await knex.raw(`
drop table alert_note;
delete from alert where kind in ('figure', 'not heard', 'said');
drop index one_open_alert;
alter table alert drop column rule_id, drop column part, drop column with_units, drop column owner_id, drop column owner,
	drop constraint alert_kind_check, add constraint alert_kind_check check (kind in (${KINDS}));
create unique index one_open_alert on alert (unit_id, kind) where ended_at is null;
drop table alert_rule`);
}
