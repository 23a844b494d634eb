import type { Knex } from 'knex';

/** Units, what they are bound to, how they were taken in, and who calls without being expected. */
export async function up(knex: Knex): Promise<void> {
	await knex.raw(`
create table unit (
	id uuid primary key,
	serial text not null check (serial ~ '^[0-9A-Z]{6,32}$'),
	maker_id text not null,
	model_id text not null,
	role_id text not null,
	dialect text not null,
	customer_id uuid not null references customer,
	mac macaddr unique,
	-- HMAC-SHA-256 of the claim code; the code itself is not kept
	claim_hash bytea not null check (length(claim_hash) = 32),
	claimed_at timestamptz not null default now(),
	reported_version text,
	heard_at timestamptz,
	dialled_home_at timestamptz,
	host_key_algorithm text,
	host_key text,
	check ((host_key is null) = (host_key_algorithm is null)),
	-- these orders serve the look-ups by serial and by customer as well
	unique (serial, maker_id),
	unique (customer_id, id, role_id, dialect),
	foreign key (model_id, maker_id, role_id, dialect) references model (id, maker_id, role_id, dialect)
);
create unique index unit_host_key on unit (host_key) where host_key is not null;

create table batch (
	id uuid primary key,
	customer_id uuid not null references customer,
	taken_at timestamptz not null default now()
);
create index on batch (customer_id, taken_at desc);

create table batch_row (
	batch_id uuid not null references batch on delete cascade,
	ordinal integer not null,
	line integer not null,
	serial text not null,
	mac macaddr,
	verdict text not null check (verdict in ('claimed', 'already-ours', 'repeated', 'refused', 'malformed')),
	reason text not null,
	primary key (batch_id, ordinal)
);

create table caller (
	id bigint generated always as identity primary key,
	serial text not null check (length(serial) <= 64),
	reason text not null check (reason in ('unknown', 'unbound', 'wrong-code', 'held', 'unknown-key')),
	address inet not null,
	calls bigint not null default 1,
	first_at timestamptz not null default now(),
	last_at timestamptz not null default now(),
	unique (serial, reason)
);
create index on caller (last_at desc);
`);
}

export async function down(knex: Knex): Promise<void> {
	await knex.raw('drop table caller, batch_row, batch, unit cascade');
}
