import type { Knex } from 'knex';
import { wall } from './help/walls';

const EVERYTHING = 'select, insert, update, delete';
const EVENTS = `'call', 'report', 'call-home', 'proof', 'withheld', 'cancel', 'lost', 'back'`;
const REASONS = `'unknown', 'unbound', 'wrong-code', 'held', 'unknown-key'`;

/** Makers' revocation lists, customers who want device certificates, what there is to say at the door of them, and units that are sent on. */
export async function up(knex: Knex): Promise<void> {
	await knex.raw(`
create table revocation_list (
	maker_id text not null references maker,
	-- the distinguished name of the authority, as Node writes it in JSON
	issuer text not null check (length(issuer) <= 2000),
	number numeric,
	made_at timestamptz not null,
	next_by timestamptz,
	loaded_at timestamptz not null default now(),
	loaded_by text not null,
	primary key (maker_id, issuer)
);
create table revoked_certificate (
	maker_id text not null,
	issuer text not null,
	serial text not null check (serial ~ '^[0-9A-F]{1,80}$'),
	primary key (maker_id, issuer, serial),
	foreign key (maker_id, issuer) references revocation_list on delete cascade
);
grant select, insert, update, delete on revocation_list, revoked_certificate to limen_people, limen_setup;
grant select on revocation_list, revoked_certificate to limen_bootstrap;
create table certificate_demand (
	customer_id uuid not null references customer,
	maker_id text not null references maker,
	since timestamptz not null default now(),
	set_by text not null,
	primary key (customer_id, maker_id)
);
create index on certificate_demand (maker_id);
alter table run_event drop constraint run_event_kind_check, add constraint run_event_kind_check check (kind in (${EVENTS}, 'redirect'));
alter table caller drop constraint caller_reason_check,
	add constraint caller_reason_check check (reason in (${REASONS}, 'unclaimed', 'no-certificate', 'bad-certificate'))`);
	const system = { limen_bootstrap: 'select', limen_setup: EVERYTHING };
	await wall(knex, { table: 'certificate_demand', people: ['insert', 'update', 'delete'], system });
}

export async function down(knex: Knex): Promise<void> {
	await knex.raw(`
delete from run_event where kind = 'redirect';
alter table run_event drop constraint run_event_kind_check, add constraint run_event_kind_check check (kind in (${EVENTS}));
delete from caller where reason not in (${REASONS});
alter table caller drop constraint caller_reason_check, add constraint caller_reason_check check (reason in (${REASONS}));
drop table certificate_demand, revoked_certificate, revocation_list`);
}
