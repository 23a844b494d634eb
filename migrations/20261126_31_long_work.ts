import type { Knex } from 'knex';

/** What takes longer than an answer: who wants what, how far it is, and what came of each thing. */
export async function up(knex: Knex): Promise<void> {
	await knex.raw(`
create table long_work (
	id uuid primary key,
	kind text not null check (kind ~ '^[a-z][a-z -]{1,49}$'),
	title text not null check (length(title) <= 300),
	-- null: its things belong to several customers
	customer_id uuid references customer,
	person_id uuid not null references person,
	actor text not null,
	address inet,
	begun_at timestamptz not null default now(),
	ended_at timestamptz,
	state text not null default 'under way' check (state in ('under way', 'done', 'cancelled')),
	total integer not null check (total > 0),
	done integer not null default 0,
	failed integer not null default 0,
	wants_cancel boolean not null default false,
	-- counts the processes that took it up: what an earlier one writes counts no more
	fence integer not null default 0,
	put_away boolean not null default false,
	check ((state = 'under way') = (ended_at is null)),
	check (done >= 0 and failed >= 0 and done + failed <= total),
	check (state <> 'done' or done + failed = total)
);
create index on long_work (person_id, begun_at desc);
create index on long_work (begun_at) where state = 'under way';

create table long_work_item (
	work_id uuid not null references long_work on delete cascade,
	ordinal integer not null check (ordinal > 0),
	customer_id uuid not null references customer,
	subject text not null check (length(subject) <= 200),
	about jsonb not null,
	state text not null default 'waiting' check (state in ('waiting', 'done', 'failed')),
	words text not null default '' check (length(words) <= 2000),
	primary key (work_id, ordinal)
);
create index on long_work_item (work_id, ordinal) where state = 'waiting';

grant select, insert, update on long_work, long_work_item to limen_people;
grant select, update (fence, state, ended_at) on long_work to limen_bootstrap;
grant select, delete on long_work to limen_clean_up;
grant select, insert, update, delete on long_work, long_work_item to limen_setup;
alter table long_work enable row level security;
alter table long_work_item enable row level security;
create policy system on long_work to limen_bootstrap, limen_clean_up, limen_setup using (true);
create policy system on long_work_item to limen_setup using (true);
create policy read on long_work for select to limen_people
	using ((select limen_sees_all()) or person_id = (select limen_person()) or customer_id = any ((select limen_reads())::uuid[]));
create policy add on long_work for insert to limen_people with check (person_id = (select limen_person()));
create policy change on long_work for update to limen_people
	using ((select limen_sees_all()) or person_id = (select limen_person()) or customer_id = any ((select limen_changes())::uuid[]));
create policy read on long_work_item for select to limen_people
	using ((select limen_sees_all()) or customer_id = any ((select limen_reads())::uuid[]));
create policy add on long_work_item for insert to limen_people
	with check ((select limen_sees_all()) or customer_id = any ((select limen_changes())::uuid[]));
create policy change on long_work_item for update to limen_people
	using ((select limen_sees_all()) or customer_id = any ((select limen_changes())::uuid[]));

-- What a person may, for work of theirs that goes on when they have left
create function limen_person_by_id(wanted uuid)
returns table (name text, email text, administrator boolean, duties jsonb)
language sql stable security definer set search_path = public, pg_temp as $$
	select person.name, person.email, person.administrator,
		coalesce((select jsonb_object_agg(m.customer_id, m.duty) from membership m where m.person_id = person.id), '{}')
	from person where person.id = wanted and disabled_at is null
$$;
revoke execute on function limen_person_by_id from public;
grant execute on function limen_person_by_id to limen_bootstrap;
`);
}

export async function down(knex: Knex): Promise<void> {
	await knex.raw('drop function limen_person_by_id; drop table long_work_item, long_work');
}
