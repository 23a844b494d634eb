import type { Knex } from 'knex';

/** People, what they may do for whom, how they prove who they are, and programs that act for them. */
export async function up(knex: Knex): Promise<void> {
	await knex.raw(`
-- what this installation is: whether it was born as a demo, and marks of the keys it was made with
create table installation (
	single boolean primary key default true check (single),
	demo boolean not null,
	claim_key_mark bytea not null,
	secret_key_id text not null
);

-- values with these names are sealed, see keys
create function holds_clear_secret(given jsonb) returns boolean language sql immutable as $$
	select exists (select from jsonb_each_text(given) where key ~* 'secret|password' and value not like 'sealed:%')
$$;
-- what was clear before is sealed by the start command; no new value may be clear
alter table customer add check (not holds_clear_secret("values")) not valid;
alter table site add check (not holds_clear_secret("values")) not valid;
alter table position add check (not holds_clear_secret("values")) not valid;
alter table profile_revision add check (not holds_clear_secret("values")) not valid;

create table person (
	id uuid primary key,
	-- compared without regard to case; written as given
	email text not null check (email ~ '^[^@[:space:]]+@[^@[:space:]]+$' and length(email) <= 254),
	name text not null check (name <> '' and length(name) <= 120),
	administrator boolean not null default false,
	-- argon2id in its own written form; null until an invitation is accepted
	password_hash text check (password_hash like '$argon2id$%'),
	-- sealed, see keys; used once it is confirmed
	totp_secret text check (totp_secret like 'sealed:%'),
	totp_confirmed_at timestamptz,
	-- the last time step a code was accepted for: no code is good twice
	totp_last_step bigint,
	disabled_at timestamptz,
	created_at timestamptz not null default now(),
	check (totp_confirmed_at is null or totp_secret is not null)
);
create unique index person_email on person (lower(email));

create table membership (
	person_id uuid not null references person,
	customer_id uuid not null references customer,
	role text not null check (role in ('technician', 'coordinator', 'engineer', 'auditor', 'reader')),
	primary key (person_id, customer_id)
);
create index on membership (customer_id);

create table recovery_code (
	person_id uuid not null references person,
	code_hash bytea not null check (length(code_hash) = 32),
	used_at timestamptz,
	primary key (person_id, code_hash)
);

create table session (
	id uuid primary key,
	-- SHA-256 of what the cookie holds
	token_hash bytea not null unique check (length(token_hash) = 32),
	person_id uuid not null references person,
	device text not null check (length(device) <= 200),
	address inet not null,
	created_at timestamptz not null default now(),
	last_used_at timestamptz not null default now(),
	ends_at timestamptz not null,
	-- when the person last proved again who they are
	confirmed_at timestamptz not null default now(),
	revoked_at timestamptz,
	check (ends_at > created_at)
);
create index on session (person_id) where revoked_at is null;

-- a link that is good once: an invitation, a forgotten password, the first administrator
create table ticket (
	token_hash bytea primary key check (length(token_hash) = 32),
	kind text not null check (kind in ('invitation', 'reset', 'first-administrator')),
	person_id uuid references person,
	ends_at timestamptz not null,
	used_at timestamptz,
	check ((kind = 'first-administrator') = (person_id is null))
);
create index on ticket (person_id);

create table service_token (
	id uuid primary key,
	name text not null unique check (name <> '' and length(name) <= 80),
	token_hash bytea not null unique check (length(token_hash) = 32),
	acts text[] not null check (cardinality(acts) > 0),
	created_by uuid not null references person,
	created_at timestamptz not null default now(),
	ends_at timestamptz not null,
	last_used_at timestamptz,
	last_address inet,
	revoked_at timestamptz
);
create table service_token_customer (
	token_id uuid not null references service_token,
	customer_id uuid not null references customer,
	primary key (token_id, customer_id)
);

-- what was answered to a request that named a key: the same again gets the same answer
create table idempotency (
	token_id uuid not null references service_token,
	key text not null check (length(key) between 1 and 100),
	request_hash bytea not null check (length(request_hash) = 32),
	status integer,
	body jsonb,
	at timestamptz not null default now(),
	primary key (token_id, key)
);

-- letters wait here in the transaction of the act they tell of
create table mail (
	id bigint generated always as identity primary key,
	to_address text not null,
	subject text not null,
	text text not null,
	written_at timestamptz not null default now(),
	attempts integer not null default 0,
	next_at timestamptz not null default now(),
	problem text,
	sent_at timestamptz
);
create index on mail (next_at) where sent_at is null;

-- rate-limiter-flexible's own layout
create table rate_limit (key varchar(255) primary key, points integer not null default 0, expire bigint);
`);
}

export async function down(knex: Knex): Promise<void> {
	await knex.raw(
		'drop function holds_clear_secret cascade; drop table installation, rate_limit, mail, idempotency, service_token_customer, service_token, ticket, session, recovery_code, membership, person cascade'
	);
}
