import type { Knex } from 'knex';

/** The same act at many units, in waves, inside windows, with a stop. */
export async function up(knex: Knex): Promise<void> {
	await knex.raw(`
create table rollout (
	id uuid primary key,
	title text not null check (length(title) between 1 and 200),
	kind text not null check (kind in ('firmware', 'due', 'restore', 'restart')),
	-- null: its units belong to several customers
	customer_id uuid references customer,
	-- limits, waves and stop rule, once it has begun
	rules jsonb,
	state text not null default 'planned' check (state in ('planned', 'under way', 'paused', 'stopped', 'ended')),
	-- why it is paused, stopped or over
	words text not null default '' check (length(words) <= 2000),
	-- outcomes up to this one do not count for the stop rule: somebody decided to go on
	counted_after integer not null default 0,
	stopped_models text[] not null default '{}',
	person_id uuid not null references person,
	actor text not null,
	address inet,
	reason text check (length(reason) <= 500),
	-- the contacts were asked, where that is to be done first
	asked boolean not null default false,
	-- the rollout whose doing it takes back
	back_of uuid references rollout on delete set null,
	planned_at timestamptz not null default now(),
	begun_at timestamptz,
	-- what was not come to by then is left out
	until timestamptz,
	ended_at timestamptz,
	-- what whoever began it is to be told by letter and was not yet
	to_tell text[] not null default '{}',
	check ((state = 'planned') = (begun_at is null)),
	check ((state = 'ended') = (ended_at is not null)),
	check (begun_at is null or (rules is not null and until is not null))
);
create index on rollout (planned_at desc);
create index on rollout (begun_at) where state in ('under way', 'stopped', 'paused');

create table rollout_item (
	rollout_id uuid not null references rollout on delete cascade,
	unit_id uuid not null references unit,
	position_id uuid not null references position on delete cascade,
	site_id uuid not null references site on delete cascade,
	customer_id uuid not null references customer,
	model_id text not null references model,
	ordinal integer not null,
	wave integer,
	is_front boolean not null,
	from_version text not null default '',
	to_version text,
	-- of a restore: which version of what it ran
	version_id uuid,
	takes interval not null check (takes > '0'),
	state text not null default 'waiting' check (state in ('waiting', 'under way', 'done', 'failed', 'left out')),
	words text not null default '' check (length(words) <= 2000),
	signature text not null default '' check (length(signature) <= 500),
	-- why it does not wait for its window and its turn
	now_because text check (length(now_because) <= 500),
	flash_id uuid references flash on delete set null,
	send_id uuid references send on delete set null,
	errand_id uuid references errand on delete set null,
	begun_at timestamptz,
	ended_at timestamptz,
	-- which of its rollout's outcomes it is: clocks can be set back
	ended_as integer,
	primary key (rollout_id, unit_id),
	unique (rollout_id, ended_as),
	check ((state in ('done', 'failed', 'left out')) = (ended_at is not null)),
	check (state not in ('under way', 'done', 'failed') or begun_at is not null),
	check ((state in ('done', 'failed')) = (ended_as is not null))
);
-- one rollout at a time is at a unit
create unique index one_rollout_at_a_unit on rollout_item (unit_id) where state = 'under way';
create index on rollout_item (rollout_id, state, wave);
create index on rollout_item (unit_id);

grant select, insert, update, delete on rollout, rollout_item to limen_people;
grant select, insert, update, delete on rollout, rollout_item to limen_bootstrap, limen_setup;
grant select, delete on rollout to limen_clean_up;
alter table rollout enable row level security;
alter table rollout_item enable row level security;
create policy system on rollout to limen_bootstrap, limen_clean_up, limen_setup using (true);
create policy system on rollout_item to limen_bootstrap, limen_setup using (true);
-- whoever sees one of its units sees that it is
create policy read on rollout for select to limen_people
	using ((select limen_sees_all()) or person_id = (select limen_person()) or exists (select from rollout_item item where item.rollout_id = rollout.id));
create policy add on rollout for insert to limen_people with check (person_id = (select limen_person()));
create policy change on rollout for update to limen_people
	using ((select limen_sees_all()) or person_id = (select limen_person()) or exists (
		select from rollout_item item where item.rollout_id = rollout.id and item.customer_id = any ((select limen_changes())::uuid[])));
create policy remove on rollout for delete to limen_people using (state = 'planned' and person_id = (select limen_person()));
create policy read on rollout_item for select to limen_people
	using ((select limen_sees_all()) or customer_id = any ((select limen_reads())::uuid[]));
create policy add on rollout_item for insert to limen_people
	with check ((select limen_sees_all()) or customer_id = any ((select limen_changes())::uuid[]));
create policy change on rollout_item for update to limen_people
	using ((select limen_sees_all()) or customer_id = any ((select limen_changes())::uuid[]));
create policy remove on rollout_item for delete to limen_people
	using ((select limen_sees_all()) or customer_id = any ((select limen_changes())::uuid[]))`);
}

export async function down(knex: Knex): Promise<void> {
	await knex.raw('drop table rollout_item, rollout');
}
