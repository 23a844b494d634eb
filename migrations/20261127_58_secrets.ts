import type { Knex } from 'knex';
import { wall } from './help/walls';

const EVERYTHING = 'select, insert, update, delete';
const MOVES = {
	sending: ['proving', 'returning', 'failed'],
	proving: ['done', 'returning', 'failed'],
	returning: ['failed']
};
const moves = Object.entries(MOVES)
	.flatMap(([from, to]) => to.map((one) => `('${from}', '${one}')`))
	.join(', ');

/** Secrets with their age, what becomes of the old ones, and their replacement with proof. */
export async function up(knex: Knex): Promise<void> {
	await knex.raw(`
-- what is known of each secret of the plan; the secret itself stays where it is
create table secret (
	id uuid primary key default gen_random_uuid(),
	customer_id uuid not null references customer on delete cascade,
	-- where it is held: one of these, or none for the customer's own
	site_id uuid references site on delete cascade,
	position_id uuid references position on delete cascade,
	tunnel_id uuid references tunnel on delete cascade,
	-- empty for a tunnel's
	field text not null,
	-- null: given before ages were counted
	since timestamptz,
	-- null: Limen itself
	person_id uuid references person on delete set null,
	is_made boolean not null default false,
	-- sealed: the oldest one that a unit may still run; kept until the present one is proved
	previous text check (previous like 'sealed:%'),
	proved_at timestamptz,
	proof text not null default '' check (length(proof) <= 500),
	check (num_nonnulls(site_id, position_id, tunnel_id) <= 1),
	check ((tunnel_id is not null) = (field = ''))
);
create unique index one_secret_at_a_place on secret (customer_id, coalesce(tunnel_id, position_id, site_id, customer_id), field);
create index on secret (site_id) where site_id is not null;
create index on secret (position_id) where position_id is not null;
create index on secret (tunnel_id) where tunnel_id is not null;
create index on secret (person_id) where person_id is not null;
create index on secret (id) where previous is not null;

-- who looked at the present one in the clear
create table secret_seen (
	secret_id uuid not null references secret on delete cascade,
	customer_id uuid not null references customer on delete cascade,
	who text not null,
	at timestamptz not null default now(),
	primary key (secret_id, at, who)
);

-- after how many days secrets are to be renewed; about: '' all of a customer's, 'tunnels', or 'field ' and its name
create table secret_rule (
	customer_id uuid not null references customer on delete cascade,
	about text not null check (about = '' or about = 'tunnels' or about ~ '^field [a-z][a-z0-9_]{0,63}$'),
	days integer not null check (days between 1 and 3650),
	primary key (customer_id, about)
);

create function note_secret(customer uuid, site uuid, pos uuid, tun uuid, name text, old text, new text, made boolean) returns void
language plpgsql security definer set search_path = public, pg_temp as $$
declare
	found uuid;
begin
	if old is not distinct from new or coalesce(current_setting('limen.resealing', true), '') = 'on' then return; end if;
	select id into found from secret
		where customer_id = customer and coalesce(tunnel_id, position_id, site_id, customer_id) = coalesce(tun, pos, site, customer) and field = name;
	if new is null then
		delete from secret where id = found;
	elsif found is null then
		insert into secret (customer_id, site_id, position_id, tunnel_id, field, since, person_id, is_made)
		values (customer, site, pos, tun, name, clock_timestamp(), limen_person(), made);
	else
		update secret set since = clock_timestamp(), person_id = limen_person(), is_made = made, proved_at = null, proof = '',
			previous = coalesce(previous, old) where id = found;
		delete from secret_seen where secret_id = found;
	end if;
end $$;
revoke all on function note_secret(uuid, uuid, uuid, uuid, text, text, text, boolean) from public;

create function note_secrets() returns trigger language plpgsql security definer set search_path = public, pg_temp as $$
declare
	was jsonb := case when tg_op = 'UPDATE' then old.values else '{}' end;
	name text;
begin
	for name in select key from jsonb_each_text(was) where value like 'sealed:%' union select key from jsonb_each_text(new.values) where value like 'sealed:%' loop
		perform note_secret(
			case tg_table_name when 'customer' then new.id else (to_jsonb(new)->>'customer_id')::uuid end,
			case tg_table_name when 'site' then new.id end,
			case tg_table_name when 'position' then new.id end,
			null, name,
			case when was->>name like 'sealed:%' then was->>name end,
			case when new.values->>name like 'sealed:%' then new.values->>name end,
			coalesce(current_setting('limen.secret_is_made', true), '') = 'on');
	end loop;
	return null;
end $$;
create function note_tunnel_secret() returns trigger language plpgsql security definer set search_path = public, pg_temp as $$
begin
	perform note_secret(new.customer_id, null, null, new.id, '', case when tg_op = 'UPDATE' then old.secret end, new.secret, true);
	return null;
end $$;
${['customer', 'site', 'position']
	.map(
		(table) => `
create trigger secrets_are_noted after insert on ${table} for each row when (new.values::text like '%"sealed:%') execute function note_secrets();
create trigger changes_of_secrets_are_noted after update of values on ${table} for each row
	when (old.values is distinct from new.values and (old.values::text like '%"sealed:%' or new.values::text like '%"sealed:%')) execute function note_secrets();`
	)
	.join('')}
create trigger secrets_are_noted after insert or update of secret on tunnel for each row execute function note_tunnel_secret();

insert into secret (customer_id, field) select id, key from customer, jsonb_each_text(values) where value like 'sealed:%';
insert into secret (customer_id, site_id, field) select customer_id, id, key from site, jsonb_each_text(values) where value like 'sealed:%';
insert into secret (customer_id, position_id, field) select customer_id, id, key from position, jsonb_each_text(values) where value like 'sealed:%';
insert into secret (customer_id, tunnel_id, field, since, is_made) select customer_id, id, '', renewed_at, true from tunnel;
alter table tunnel drop column renewed_at;

-- secrets replaced at a unit, and at the other ends of its tunnels
create table rotation (
	id uuid primary key,
	unit_id uuid not null references unit,
	customer_id uuid not null references customer,
	state text not null default 'sending',
	words text not null default '' check (length(words) <= 2000),
	-- it is about Limen's own key and no secret of the plan
	of_key boolean not null default false,
	asked_by text not null,
	begun_at timestamptz not null default now(),
	proving_at timestamptz,
	ended_at timestamptz,
	unique (id, customer_id),
	check ((state in ('done', 'failed')) = (ended_at is not null))
);
create index on rotation (unit_id, begun_at desc);
create index on rotation (begun_at) where ended_at is null;
create table rotation_move (from_state text, to_state text, primary key (from_state, to_state));
insert into rotation_move values ${moves};
create function check_rotation_move() returns trigger language plpgsql as $$
begin
	if not exists (select from rotation_move where from_state = old.state and to_state = new.state) then
		raise exception 'a rotation does not move from % to %', old.state, new.state using errcode = 'integrity_constraint_violation';
	end if;
	return new;
end $$;
create trigger rotations_move_as_core_says before update of state on rotation
	for each row when (old.state is distinct from new.state) execute function check_rotation_move();
grant select on rotation_move to limen_people, limen_bootstrap, limen_setup;

create table rotation_secret (
	rotation_id uuid not null,
	secret_id uuid not null references secret on delete cascade,
	customer_id uuid not null,
	-- how it stood before it was made anew here, until that is over; null where it was made before
	was jsonb,
	before text check (before like 'sealed:%'),
	check ((was is null) = (before is null)),
	primary key (rotation_id, secret_id),
	foreign key (rotation_id, customer_id) references rotation (id, customer_id) on delete cascade
);
create index on rotation_secret (secret_id);
create table rotation_end (
	rotation_id uuid not null,
	unit_id uuid not null references unit,
	position_id uuid not null references position on delete cascade,
	customer_id uuid not null,
	send_id uuid references send on delete set null,
	-- sealed: as JSON, pairs of logins, which it has to refuse and to take from now on
	trials text check (trials like 'sealed:%'),
	proved boolean,
	words text not null default '' check (length(words) <= 500),
	errand_id uuid references errand on delete set null,
	look_at timestamptz,
	primary key (rotation_id, unit_id),
	foreign key (rotation_id, customer_id) references rotation (id, customer_id) on delete cascade
);
create index on rotation_end (unit_id) where proved is null;

-- a secret that could not be proved comes back into the plan by itself
grant update (secret) on tunnel to limen_bootstrap;
grant update (values) on customer, site, position to limen_bootstrap;

-- sends that are confirmed together or not at all
alter table send add column together uuid;
create index on send (together) where together is not null;
-- which of Limen's keys it took last
alter table unit add column login_key text check (length(login_key) <= 100);
grant update (login_key) on unit to limen_bootstrap;

alter table rollout drop constraint rollout_kind_check;
alter table rollout add constraint rollout_kind_check check (kind in ('firmware', 'due', 'restore', 'restart', 'secret'));
alter table rollout_item add column rotation_id uuid references rotation on delete set null;
create table rollout_secret (
	rollout_id uuid not null,
	unit_id uuid not null,
	secret_id uuid not null references secret on delete cascade,
	customer_id uuid not null references customer,
	primary key (rollout_id, unit_id, secret_id),
	foreign key (rollout_id, unit_id) references rollout_item on delete cascade
);
create index on rollout_secret (secret_id)`);
	const system = { limen_bootstrap: EVERYTHING, limen_setup: EVERYTHING };
	await wall(knex, { table: 'secret', system });
	await wall(knex, { table: 'secret_seen', people: ['insert'], system });
	await wall(knex, { table: 'secret_rule', people: ['insert', 'update', 'delete'], system });
	for (const table of ['rotation', 'rotation_secret', 'rotation_end'])
		await wall(knex, { table, people: ['insert'], system });
	await wall(knex, { table: 'rollout_secret', people: ['insert', 'delete'], system });
}

export async function down(knex: Knex): Promise<void> {
	await knex.raw(`
drop table rollout_secret;
alter table rollout_item drop column rotation_id;
delete from rollout where kind = 'secret';
alter table rollout drop constraint rollout_kind_check;
alter table rollout add constraint rollout_kind_check check (kind in ('firmware', 'due', 'restore', 'restart'));
alter table unit drop column login_key;
revoke update (values) on customer, site, position from limen_bootstrap;
revoke update (secret) on tunnel from limen_bootstrap;
alter table send drop column together;
drop table rotation_end, rotation_secret, rotation, rotation_move;
drop function check_rotation_move;
alter table tunnel add column renewed_at timestamptz not null default now();
update tunnel set renewed_at = coalesce(secret.since, now()) from secret where tunnel_id = tunnel.id;
${['customer', 'site', 'position'].map((table) => `drop trigger changes_of_secrets_are_noted on ${table};\ndrop trigger secrets_are_noted on ${table};`).join('\n')}
drop trigger secrets_are_noted on tunnel;
drop function note_tunnel_secret, note_secrets, note_secret;
drop table secret_rule, secret_seen, secret`);
}
