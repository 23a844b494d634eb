import type { Knex } from 'knex';

/**
 * The second wall. The application connects as a role that owns nothing and cannot pass by row-level
 * security; for each piece of work it takes on one of these roles and says for whom it works, and
 * PostgreSQL itself looks up what that person or program may see and change.
 *
 *   limen_people     a signed-in person or a service token; sees the customers of its memberships
 *   limen_bootstrap  units that call: every customer, but only what onboarding needs
 *   limen_sign_in    people, sessions and letters; nothing of any customer
 *   limen_setup      bringing in plans and the demo; not used by the running application
 */
const ROLES = ['limen_people', 'limen_bootstrap', 'limen_sign_in', 'limen_setup'];

/** Tables that belong to a customer, by the column that says to which. */
const WALLED: Record<string, string> = {
	customer: 'id',
	site: 'customer_id',
	position: 'customer_id',
	unit: 'customer_id',
	batch: 'customer_id',
	batch_row: 'customer_id',
	run: 'customer_id',
	run_event: 'customer_id',
	binding: 'customer_id',
	membership: 'customer_id',
	service_token_customer: 'customer_id'
};

export async function up(knex: Knex): Promise<void> {
	for (const role of ROLES)
		await knex.raw(`
do $$ begin
	if not exists (select from pg_roles where rolname = '${role}') then create role ${role} nologin; end if;
exception when duplicate_object or unique_violation then null; -- another database of this server was just set up
end $$`);
	await knex.raw(`
-- what belongs to a customer says so itself
alter table run add unique (id, customer_id);
alter table run_event add column customer_id uuid;
update run_event set customer_id = run.customer_id from run where run.id = run_event.run_id;
alter table run_event alter column customer_id set not null, drop constraint run_event_run_id_fkey,
	add foreign key (run_id, customer_id) references run (id, customer_id);
alter table batch_row add column customer_id uuid;
update batch_row set customer_id = batch.customer_id from batch where batch.id = batch_row.batch_id;
alter table batch_row alter column customer_id set not null, drop constraint batch_row_batch_id_fkey,
	add foreign key (batch_id, customer_id) references batch (id, customer_id) on delete cascade;
-- null: a stranger at the door belongs to nobody yet
alter table caller add column customer_id uuid references customer;
update caller set customer_id = unit.customer_id from unit where unit.serial = caller.serial;

create function limen_person() returns uuid language sql stable as
	$$ select nullif(current_setting('limen.person', true), '')::uuid $$;
create function limen_token() returns uuid language sql stable as
	$$ select nullif(current_setting('limen.token', true), '')::uuid $$;

-- in plpgsql, which keeps its plans; a body in SQL would be planned anew for every statement
create function limen_sees_all() returns boolean language plpgsql stable security definer set search_path = public, pg_temp as $$
begin
	return exists (select from person where id = limen_person() and administrator and disabled_at is null);
end $$;
create function limen_reads() returns uuid[] language plpgsql stable security definer set search_path = public, pg_temp as $$
begin
	return array(
		select customer_id from membership join person on person.id = person_id where person_id = limen_person() and disabled_at is null
		union all
		select customer_id from service_token_customer join service_token on id = token_id
		where token_id = limen_token() and revoked_at is null and ends_at > now()
	);
end $$;
create function limen_changes() returns uuid[] language plpgsql stable security definer set search_path = public, pg_temp as $$
begin
	return array(
		select customer_id from membership join person on person.id = person_id
		where person_id = limen_person() and disabled_at is null and role in ('technician', 'coordinator', 'engineer')
		union all
		select customer_id from service_token_customer join service_token on id = token_id
		where token_id = limen_token() and revoked_at is null and ends_at > now()
	);
end $$;
-- whether the person works for the firm, and not for one customer alone
create function limen_is_staff() returns boolean language plpgsql stable security definer set search_path = public, pg_temp as $$
begin
	return exists (
		select from membership join person on person.id = person_id
		where person_id = limen_person() and disabled_at is null and role <> 'reader'
	);
end $$;
create function limen_audits() returns boolean language plpgsql stable security definer set search_path = public, pg_temp as $$
begin
	return exists (
		select from membership join person on person.id = person_id
		where person_id = limen_person() and disabled_at is null and role = 'auditor'
	);
end $$;

-- Whether a serial number or a MAC address that somebody wants to claim is taken, and by them: all that
-- intake tells of another customer's unit.
create function limen_taken(wanting uuid, serials text[], macs macaddr[])
returns table (serial text, maker_id text, mac macaddr, ours boolean)
language sql stable security definer set search_path = public, pg_temp as $$
	select serial, maker_id, mac, customer_id = wanting from unit where serial = any (serials) or mac = any (macs)
$$;

-- Who holds a session or a token, in one look-up for every request. Idle for twelve hours is over.
create function limen_session(hash bytea)
returns table (session_id uuid, person_id uuid, name text, email text, administrator boolean, confirmed_at timestamptz, roles jsonb)
language plpgsql security definer set search_path = public, pg_temp as $$
begin
	return query
		select session.id, person.id, person.name, person.email, person.administrator, session.confirmed_at,
			coalesce((select jsonb_object_agg(m.customer_id, m.role) from membership m where m.person_id = person.id), '{}')
		from session join person on person.id = session.person_id
		where token_hash = hash and revoked_at is null and ends_at > now() and last_used_at > now() - interval '12 hours' and disabled_at is null;
	update session set last_used_at = now() where token_hash = hash and revoked_at is null
		and last_used_at < now() - interval '1 minute' and last_used_at > now() - interval '12 hours';
end $$;
create function limen_service_token(hash bytea, from_address inet)
returns table (token_id uuid, name text, acts text[], customers uuid[])
language plpgsql security definer set search_path = public, pg_temp as $$
begin
	update service_token set last_used_at = now(), last_address = from_address
	where token_hash = hash and (last_used_at is null or last_used_at < now() - interval '1 minute' or last_address is distinct from from_address);
	return query
		select service_token.id, service_token.name, service_token.acts,
			array(select c.customer_id from service_token_customer c where c.token_id = service_token.id)
		from service_token where token_hash = hash and revoked_at is null and ends_at > now();
end $$;
revoke execute on function limen_session, limen_service_token, limen_taken from public;
grant execute on function limen_session, limen_service_token, limen_taken to limen_people, limen_setup;
grant execute on function limen_session to limen_sign_in;

grant select on installation to limen_people, limen_sign_in, limen_bootstrap, limen_setup;
grant usage on schema public to ${ROLES.join(', ')};
grant select on role, maker, model, profile, profile_revision, image, run_step, step_move to limen_people, limen_bootstrap;
grant insert on image to limen_people;
grant select, insert, update, delete on site, position, unit, batch, batch_row, run, run_event, binding, caller to limen_people;
grant select on customer to limen_people;
grant select, insert, update, delete on membership, service_token, service_token_customer to limen_people;
grant select (id, email, name, administrator, totp_confirmed_at, disabled_at, created_at), insert, update (name, administrator, disabled_at)
	on person to limen_people;
grant select (id, person_id, device, address, created_at, last_used_at, ends_at, revoked_at), update (revoked_at) on session to limen_people;
grant insert on ticket, mail to limen_people;
grant select, insert, update, delete on idempotency to limen_people;
grant select, insert on ledger_entry to limen_people;

grant select on customer, site, position, unit, binding, run, run_event, caller, profile, profile_revision to limen_bootstrap;
grant update (heard_at, reported_version, dialled_home_at, host_key, host_key_algorithm) on unit to limen_bootstrap;
grant insert, update on run to limen_bootstrap;
grant insert on run_event to limen_bootstrap;
grant update (run_id) on binding to limen_bootstrap;
grant insert, update, delete on caller to limen_bootstrap;
grant insert on ledger_entry to limen_bootstrap;

grant select, insert, update, delete on person, session, ticket, recovery_code, mail, rate_limit to limen_sign_in;
grant select on membership to limen_sign_in;
grant insert on ledger_entry to limen_sign_in;

grant select, insert, update, delete on all tables in schema public to limen_setup;
revoke insert, update, delete on ledger_head, installation from limen_setup;
revoke update, delete on ledger_entry from limen_setup;
`);
	for (const [table, column] of Object.entries(WALLED)) {
		const seen = `(select limen_sees_all()) or ${column} = any ((select limen_reads())::uuid[])`;
		const changed = `(select limen_sees_all()) or ${column} = any ((select limen_changes())::uuid[])`;
		await knex.raw(`
alter table ${table} enable row level security;
-- of a constant that is true nothing is left to look up when units call by the thousand
create policy system on ${table} to limen_bootstrap, limen_setup using (true);
create policy read on ${table} for select to limen_people using (${seen});
create policy add on ${table} for insert to limen_people with check (${changed});
create policy change on ${table} for update to limen_people using (${changed}) with check (${changed});
create policy remove on ${table} for delete to limen_people using (${changed});
`);
	}
	await knex.raw(`
-- people and their access are the administrator's; everybody sees their own
drop policy read on membership;
drop policy add on membership;
drop policy change on membership;
drop policy remove on membership;
create policy administrator on membership to limen_people using ((select limen_sees_all()));
create policy own on membership for select to limen_people using (person_id = (select limen_person()));
drop policy add on service_token_customer;
drop policy change on service_token_customer;
drop policy remove on service_token_customer;
create policy administrator on service_token_customer to limen_people using ((select limen_sees_all()));
alter table person enable row level security;
create policy administrator on person to limen_people using ((select limen_sees_all()));
create policy own on person for select to limen_people using (id = (select limen_person()));
alter table session enable row level security;
create policy administrator on session to limen_people using ((select limen_sees_all()));
create policy own on session to limen_people using (person_id = (select limen_person()));
alter table service_token enable row level security;
create policy administrator on service_token to limen_people using ((select limen_sees_all()));
alter table idempotency enable row level security;
create policy own on idempotency to limen_people using (token_id = (select limen_token()));
alter table ticket enable row level security;
create policy administrator on ticket for insert to limen_people with check ((select limen_sees_all()));
alter table recovery_code enable row level security;
alter table mail enable row level security;
create policy administrator on mail for insert to limen_people with check ((select limen_sees_all()));

alter table caller enable row level security;
create policy system on caller to limen_bootstrap, limen_setup using (true);
create policy read on caller for select to limen_people using (
	(select limen_sees_all()) or customer_id = any ((select limen_reads())::uuid[]) or (customer_id is null and (select limen_is_staff()))
);
create policy change on caller to limen_people using ((select limen_sees_all()) or customer_id = any ((select limen_changes())::uuid[]));

alter table ledger_entry enable row level security;
create policy read on ledger_entry for select to limen_people using (
	(select limen_sees_all()) or customer_id = any ((select limen_reads())::uuid[])
	or person_id = (select limen_person()) or (customer_id is null and (select limen_audits()))
);
create policy add on ledger_entry for insert with check (true);
create policy setup on ledger_entry for select to limen_setup using (true);
`);
	for (const table of ['person', 'session', 'ticket', 'recovery_code', 'mail'])
		await knex.raw(`create policy system on ${table} to limen_sign_in, limen_setup using (true)`);
	for (const table of ['service_token', 'idempotency'])
		await knex.raw(`create policy system on ${table} to limen_setup using (true)`);
	await knex.raw(`create policy sign_in on membership for select to limen_sign_in using (true)`);
}

export async function down(knex: Knex): Promise<void> {
	const { rows } = await knex.raw(
		`select tablename, policyname from pg_policies where schemaname = 'public'`
	);
	for (const { tablename, policyname } of rows)
		await knex.raw(`drop policy "${policyname}" on "${tablename}"`);
	for (const table of [
		...Object.keys(WALLED),
		'person',
		'session',
		'service_token',
		'idempotency',
		'ticket',
		'recovery_code',
		'mail',
		'caller',
		'ledger_entry'
	])
		// prettier-ignore
		await knex.raw(`alter table ${table} disable row level security`);
	await knex.raw(`
revoke all on all tables in schema public from ${ROLES.join(', ')};
drop function limen_session, limen_service_token, limen_taken, limen_audits, limen_is_staff, limen_changes, limen_reads, limen_sees_all,
	limen_token, limen_person cascade;
alter table caller drop column customer_id;
alter table run_event drop constraint run_event_run_id_customer_id_fkey, drop column customer_id, add foreign key (run_id) references run;
alter table batch_row drop constraint batch_row_batch_id_customer_id_fkey, drop column customer_id,
	add foreign key (batch_id) references batch on delete cascade;
alter table run drop constraint run_id_customer_id_key;
`);
}
