import type { Knex } from 'knex';

/**
 * Cards for the people on site: what the lights of each model mean, and addresses at which a site's progress
 * is told in plain words to whoever holds its card, for a while and without signing in.
 */
export async function up(knex: Knex): Promise<void> {
	await knex.raw(`
-- each {shows, means}: as somebody who has never seen one would say it
alter table model add column lights jsonb not null default '[]' check (jsonb_typeof(lights) = 'array');

create table site_link (
	id uuid primary key,
	site_id uuid not null,
	customer_id uuid not null,
	-- the address itself is printed on the card and kept nowhere else
	token_hash bytea not null unique check (length(token_hash) = 32),
	made_at timestamptz not null default now(),
	made_by text not null,
	ends_at timestamptz not null,
	ended_at timestamptz,
	foreign key (site_id, customer_id) references site (id, customer_id) on delete cascade
);
create index on site_link (site_id);
alter table site_link enable row level security;
create policy system on site_link to limen_setup using (true);
create policy read on site_link for select to limen_people using ((select limen_sees_all()) or customer_id = any ((select limen_reads())::uuid[]));
create policy add on site_link for insert to limen_people with check ((select limen_sees_all()) or customer_id = any ((select limen_changes())::uuid[]));
create policy change on site_link for update to limen_people using ((select limen_sees_all()) or customer_id = any ((select limen_changes())::uuid[]))
	with check ((select limen_sees_all()) or customer_id = any ((select limen_changes())::uuid[]));
grant select, insert, update on site_link to limen_people;
grant select, insert, update, delete on site_link to limen_setup;

-- all that an address of a card shows: one site's positions and how far each is
create function limen_site_progress(hash bytea)
returns table (site text, customer text, position_name text, role text, step text, outcome text, since timestamptz, refused boolean)
language sql stable security definer set search_path = public, pg_temp as $$
	select site.name, customer.name, position.name, role.name, run.step, run.outcome, run.since,
		exists (select from caller join unit on unit.serial = caller.serial
			where unit.id = run.unit_id and reason = 'wrong-code' and last_at > run.begun_at)
	from site_link join site on site.id = site_link.site_id join customer on customer.id = site.customer_id
	left join position on position.site_id = site.id left join role on role.id = position.role_id
	left join binding on binding.position_id = position.id left join run on run.id = binding.run_id
	where token_hash = hash and site_link.ended_at is null and ends_at > now()
	order by role.id = 'access-point', position.name
$$;
revoke execute on function limen_site_progress from public;
grant execute on function limen_site_progress to limen_people, limen_setup;
`);
}

export async function down(knex: Knex): Promise<void> {
	await knex.raw(`
drop function limen_site_progress;
drop table site_link;
alter table model drop column lights;
`);
}
