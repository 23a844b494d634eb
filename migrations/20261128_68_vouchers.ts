import type { Knex } from 'knex';
import { wall } from './help/walls';

const EVERYTHING = 'select, insert, update, delete';

/** Makers' vouchers for units: by which an untrusting unit knows its owner. */
export async function up(knex: Knex): Promise<void> {
	await knex.raw(`
create table voucher (
	unit_id uuid primary key,
	customer_id uuid not null,
	maker_id text not null references maker,
	-- CMS of the maker's, DER; null as long as none was given
	content bytea check (octet_length(content) between 1 and 65536),
	-- whose certificate it pins
	owner_key_id uuid references owner_key,
	made_at timestamptz,
	expires_at timestamptz,
	-- asked for then, for the first time or again; null: not any more
	next_at timestamptz default now(),
	attempts integer not null default 0,
	problem text not null default '' check (length(problem) <= 500),
	foreign key (unit_id, customer_id) references unit (id, customer_id) on delete cascade,
	check (num_nonnulls(content, owner_key_id, made_at, expires_at) in (0, 4)),
	check (made_at < expires_at)
);
create index on voucher (next_at);
create index on voucher (customer_id);
create index on voucher (owner_key_id);
insert into voucher (unit_id, customer_id, maker_id)
	select id, customer_id, maker_id from unit where ownership = 'confirmed' and out_of_service_at is null`);
	const system = {
		limen_bootstrap: EVERYTHING,
		limen_setup: EVERYTHING,
		limen_registry: 'select, insert, update'
	};
	await wall(knex, { table: 'voucher', people: ['update'], system });
}

export async function down(knex: Knex): Promise<void> {
	await knex.raw('drop table voucher');
}
