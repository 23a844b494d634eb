import type { Knex } from 'knex';
import { wall } from './help/walls';

/**
 * Who reaches whom: one row for each pair of places that have a planned path, as it was found last, and each change of a
 * path. When a place is asked next is a row as well, so that a restart forgets no turn.
 */
const EVERYTHING = {
	limen_bootstrap: 'select, insert, update, delete',
	limen_setup: 'select, insert, update, delete'
};
const PATHS = `('direct', 'hub', 'other', 'none', 'unread')`;

export async function up(knex: Knex): Promise<void> {
	await knex.raw(`
create table reach_turn (
	position_id uuid primary key,
	customer_id uuid not null,
	next_at timestamptz not null default now(),
	foreign key (position_id, customer_id) references position (id, customer_id) on delete cascade
);

create table reachability (
	from_position uuid not null,
	to_position uuid not null,
	customer_id uuid not null,
	path text not null check (path in ${PATHS}),
	-- in percent; null where nothing was said of it
	loss smallint check (loss between 0 and 100),
	milliseconds real check (milliseconds >= 0),
	hops smallint check (hops >= 0),
	words text not null check (length(words) <= 500),
	-- what the unit answered, to both questions
	answer text not null default '' check (length(answer) <= 2000),
	looked_at timestamptz not null default now(),
	-- since when it goes by this path
	path_since timestamptz not null default now(),
	primary key (from_position, to_position),
	check (from_position <> to_position),
	foreign key (from_position, customer_id) references position (id, customer_id) on delete cascade,
	foreign key (to_position, customer_id) references position (id, customer_id) on delete cascade
);
create index on reachability (to_position);
create index reachability_astray on reachability (customer_id) where path = 'none';

create table path_change (
	id uuid primary key,
	from_position uuid not null,
	to_position uuid not null,
	customer_id uuid not null,
	before text not null check (before in ${PATHS}),
	after text not null check (after in ${PATHS} and after <> before),
	at timestamptz not null default now(),
	foreign key (from_position, customer_id) references position (id, customer_id) on delete cascade,
	foreign key (to_position, customer_id) references position (id, customer_id) on delete cascade
);
create index on path_change (customer_id, at desc);
create index on path_change (from_position, at desc);
create index on path_change (to_position, at desc);
`);
	await wall(knex, { table: 'reach_turn', people: ['update'], system: EVERYTHING });
	await wall(knex, {
		table: 'reachability',
		system: { ...EVERYTHING, limen_clean_up: 'select, delete' }
	});
	await wall(knex, {
		table: 'path_change',
		system: { ...EVERYTHING, limen_clean_up: 'select, delete' }
	});
}

export async function down(knex: Knex): Promise<void> {
	await knex.raw('drop table path_change, reachability, reach_turn');
}
