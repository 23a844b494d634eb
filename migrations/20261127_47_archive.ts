import type { Knex } from 'knex';
import { wall } from './help/walls';

const EVERYTHING = {
	limen_bootstrap: 'select, insert, update, delete',
	limen_setup: 'select, insert, update, delete'
};

/** What units run and ran, each version once; how long it is kept; and where what runs differs from what is intended. */
export async function up(knex: Knex): Promise<void> {
	await knex.raw(`
-- how a customer's units are looked after; without a row as its columns say by themselves
create table upkeep_rule (
	customer_id uuid primary key references customer on delete cascade,
	reads text not null default 'daily' check (reads in ('daily', 'weekly', 'never')),
	keep_versions integer not null default 50 check (keep_versions between 2 and 10000),
	keep_days integer not null default 730 check (keep_days between 7 and 36500)
);

create table archive_version (
	id uuid primary key,
	unit_id uuid not null references unit,
	customer_id uuid not null references customer,
	position_id uuid references position on delete set null,
	number integer not null check (number > 0),
	-- when it was read like this first, and last
	at timestamptz not null,
	seen_at timestamptz not null check (seen_at >= at),
	how text not null check (how in ('first', 'run', 'send', 'back', 'outside')),
	by_whom text not null default '' check (length(by_whom) <= 200),
	send_id uuid,
	firmware text not null default '',
	-- a keyed hash of the whole, secrets included
	digest bytea not null check (length(digest) = 32),
	-- compressed: the text without its secrets, alone or against the version after it
	packed bytea not null,
	is_whole boolean not null,
	-- sealed; null when they are those of the version after it
	secrets text,
	lines integer not null check (lines >= 0),
	bytes integer not null check (bytes >= 0),
	pinned_at timestamptz,
	pinned_by text,
	pin_reason text check (length(pin_reason) between 1 and 500),
	unique (unit_id, number),
	check ((pinned_at is null) = (pin_reason is null) and (pinned_at is null) = (pinned_by is null))
);
create index on archive_version (customer_id, at desc);
create index on archive_version (position_id);

-- what may stand in any version of a unit: where a search looks
create table archive_words (
	unit_id uuid primary key references unit,
	customer_id uuid not null references customer,
	words text[] not null
);
create index on archive_words using gin (words);

-- each time that what a unit runs was held against what it should run
create table drift_look (
	id uuid primary key,
	unit_id uuid not null references unit,
	customer_id uuid not null references customer,
	position_id uuid references position on delete set null,
	at timestamptz not null,
	why text not null check (why in ('asked', 'due', 'send', 'back', 'run', 'said', 'accepted')),
	version_id uuid references archive_version on delete set null,
	-- a keyed hash of what it should run
	intended bytea not null,
	state text not null check (state in ('as intended', 'differs', 'unreadable')),
	findings integer not null default 0,
	words text not null default '' check (length(words) <= 2000)
);
create index on drift_look (unit_id, at desc);
create index on drift_look (at);

-- how each unit stood when it was looked at last
create table unit_drift (
	unit_id uuid primary key references unit,
	customer_id uuid not null references customer,
	position_id uuid not null references position on delete cascade,
	look_id uuid not null,
	state text not null check (state in ('as intended', 'differs', 'unreadable')),
	looked_at timestamptz not null,
	since timestamptz not null
);
create index on unit_drift (customer_id) where state <> 'as intended';

create table finding (
	id uuid primary key,
	unit_id uuid not null references unit,
	customer_id uuid not null references customer,
	position_id uuid not null references position on delete cascade,
	-- keyed hashes: of the difference itself, and of what makes it the same at several units
	key bytea not null check (length(key) = 32),
	same bytea not null check (length(same) = 32),
	kind text not null check (kind in ('missing', 'extra', 'changed', 'order')),
	-- secrets masked, from here on
	path text[] not null,
	should text,
	runs text,
	after text,
	touches text not null check (touches in ('uplink', 'access', 'management', 'security', 'nothing of these')),
	dialect text not null,
	by_whom text not null default '' check (length(by_whom) <= 200),
	since timestamptz not null,
	found_at timestamptz not null,
	left_until date,
	left_reason text check (length(left_reason) between 1 and 500),
	left_by text,
	ended_at timestamptz,
	-- how it ended
	ended text check (ended in ('gone', 'accepted')),
	check ((ended_at is null) = (ended is null)),
	check ((left_until is null) = (left_reason is null))
);
create unique index one_open_finding on finding (unit_id, key) where ended_at is null;
create index on finding (same) where ended_at is null;
create index on finding (customer_id) where ended_at is null;
create index on finding (ended_at) where ended_at is not null;

-- what was read and is not in the archive yet
alter table reading add column kept_at timestamptz;
-- what is sent: what is due, what it should run already, some findings put right, or a version it ran
alter table send add column kind text not null default 'due' check (kind in ('due', 'intended', 'part', 'restore'));
create or replace view served with (security_invoker = true) as
	select unit_id, position_id, customer_id, rendering, checks, target_version, number, begun_at as at
	from run where rendering is not null
	union all
	select send.unit_id, send.position_id, send.customer_id, send.intended, send.checks, run.target_version, run.number, send.committed_at
	from send join run on run.id = send.run_id where send.state = 'confirmed' and send.kind = 'due';
update reading set kept_at = at;
-- why it was asked for, when nobody did
alter table errand add column why text check (why in ('due', 'back', 'said', 'send'));
create index reading_to_keep on reading (at) where kept_at is null and kind = 'configuration';
`);
	await wall(knex, {
		table: 'upkeep_rule',
		people: ['insert', 'update'],
		system: { ...EVERYTHING, limen_clean_up: 'select' }
	});
	await wall(knex, {
		table: 'archive_version',
		people: ['update'],
		system: { ...EVERYTHING, limen_clean_up: 'select, delete' }
	});
	await wall(knex, { table: 'archive_words', system: EVERYTHING });
	await wall(knex, { table: 'drift_look', system: { ...EVERYTHING, limen_clean_up: 'select, delete' } });
	await wall(knex, { table: 'unit_drift', system: { ...EVERYTHING, limen_clean_up: 'select' } });
	await wall(knex, {
		table: 'finding',
		people: ['update'],
		system: { ...EVERYTHING, limen_clean_up: 'select, delete' }
	});
}

export async function down(knex: Knex): Promise<void> {
	await knex.raw(`
create or replace view served with (security_invoker = true) as
	select unit_id, position_id, customer_id, rendering, checks, target_version, number, begun_at as at
	from run where rendering is not null
	union all
	select send.unit_id, send.position_id, send.customer_id, send.intended, send.checks, run.target_version, run.number, send.committed_at
	from send join run on run.id = send.run_id where send.state = 'confirmed';
alter table send drop column kind;
drop table finding, unit_drift, drift_look, archive_words, archive_version, upkeep_rule;
alter table errand drop column why;
alter table reading drop column kept_at`);
}
