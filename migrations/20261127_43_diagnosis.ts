import type { Knex } from 'knex';
import { wall } from './help/walls';

/** What people at units that do not come were asked and answered, what it was taken for, and how that ended. */
export async function up(knex: Knex): Promise<void> {
	await knex.raw(`
create table diagnosis (
	run_id uuid primary key,
	customer_id uuid not null,
	-- [{ question, answer }], in the order in which they were asked
	answers jsonb not null default '[]' check (jsonb_typeof(answers) = 'array' and jsonb_array_length(answers) <= 10),
	begun_at timestamptz not null default now(),
	changed_at timestamptz not null default now(),
	-- what it turned out to be; null while nobody knows
	cause text check (cause <> ''),
	ended_at timestamptz,
	foreign key (run_id, customer_id) references run (id, customer_id) on delete cascade,
	check ((cause is null) = (ended_at is null))
);
create index on diagnosis (cause) where cause is not null;

-- how often each cause was it, at any customer's units of a role: numbers, and nothing else
create function limen_ended_causes(a_role text) returns table (cause text, cases integer)
language sql stable security definer set search_path = public, pg_temp as $$
	select diagnosis.cause, count(*)::int from diagnosis join run on run.id = run_id join position on position.id = run.position_id
	where diagnosis.cause is not null and position.role_id = a_role group by 1
$$;
revoke execute on function limen_ended_causes from public;
grant execute on function limen_ended_causes to limen_people, limen_bootstrap, limen_setup;
`);
	await wall(knex, {
		table: 'diagnosis',
		people: ['insert', 'update'],
		system: {
			limen_bootstrap: 'select, insert, update, delete',
			limen_setup: 'select, insert, update, delete'
		}
	});
}

export async function down(knex: Knex): Promise<void> {
	await knex.raw('drop function limen_ended_causes; drop table diagnosis');
}
