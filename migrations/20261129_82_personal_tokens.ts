import type { Knex } from 'knex';

/** A program can act as a person, with a token that the person made for it: all that they may, and no more. */
export async function up(knex: Knex): Promise<void> {
	await knex.raw(`
create table personal_token (
	id uuid primary key,
	person_id uuid not null references person,
	name text not null check (name <> '' and length(name) <= 80),
	token_hash bytea not null unique check (length(token_hash) = 32),
	-- also what asks again who it is: acts that interrupt or expose somebody's network
	interrupts boolean not null default false,
	created_at timestamptz not null default now(),
	ends_at timestamptz not null,
	last_used_at timestamptz,
	last_address inet,
	revoked_at timestamptz
);
create index on personal_token (person_id);
alter table personal_token enable row level security;
grant select, insert, update on personal_token to limen_people;
create policy own on personal_token to limen_people using (person_id = (select limen_person())) with check (person_id = (select limen_person()));
grant select, insert, update, delete on personal_token to limen_setup;
create policy system on personal_token to limen_setup using (true);

create function limen_personal_token(hash bytea, from_address inet)
returns table (token_id uuid, token_name text, interrupts boolean, person_id uuid, name text, email text, administrator boolean, duties jsonb)
language plpgsql security definer set search_path = public, pg_temp as $$
begin
	update personal_token set last_used_at = now(), last_address = from_address
	where token_hash = hash and (last_used_at is null or last_used_at < now() - interval '1 minute' or last_address is distinct from from_address);
	return query
		select t.id, t.name, t.interrupts, person.id, person.name, person.email, person.administrator,
			coalesce((select jsonb_object_agg(m.customer_id, m.duty) from membership m where m.person_id = person.id), '{}')
		from personal_token t join person on person.id = t.person_id
		where token_hash = hash and revoked_at is null and ends_at > now() and disabled_at is null;
end $$;
revoke execute on function limen_personal_token from public;
grant execute on function limen_personal_token to limen_people, limen_setup;

-- who is shut out comes in no more by a token that was made before, also when they are let in again
create function limen_end_tokens() returns trigger language plpgsql security definer set search_path = public, pg_temp as $$
begin
	update personal_token set revoked_at = now() where person_id = new.id and revoked_at is null;
	return null;
end $$;
create trigger end_tokens after update of disabled_at on person for each row when (new.disabled_at is not null) execute function limen_end_tokens();

-- an answer is kept for whichever token asked
alter table idempotency drop constraint idempotency_token_id_fkey;
create policy own_token on idempotency to limen_people
	using (exists (select from personal_token t where t.id = token_id and t.person_id = (select limen_person())));`);
}

export async function down(knex: Knex): Promise<void> {
	await knex.raw(`
drop policy own_token on idempotency;
delete from idempotency where not exists (select from service_token where id = token_id);
alter table idempotency add foreign key (token_id) references service_token;
drop trigger end_tokens on person; drop function limen_end_tokens; drop function limen_personal_token;
drop table personal_token`);
}
