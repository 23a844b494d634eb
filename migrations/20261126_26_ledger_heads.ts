import type { Knex } from 'knex';

/**
 * Where the ledger's chain stood, once a day, signed and sent out: whoever owns the database can write the
 * chain anew, but not what has left.
 */
export async function up(knex: Knex): Promise<void> {
	await knex.raw(`
create table ledger_anchor (
	day date primary key,
	entry bigint not null,
	-- the signed head as it was sent
	head text not null,
	made_at timestamptz not null default now()
);
create function limen_ledger_head() returns table (id bigint, hash bytea)
language sql stable security definer set search_path = public, pg_temp as
	$$ select id, hash from ledger_head $$;
revoke execute on function limen_ledger_head from public;
grant execute on function limen_ledger_head to limen_sign_in;
grant select, insert on ledger_anchor to limen_sign_in;
`);
}

export async function down(knex: Knex): Promise<void> {
	await knex.raw('drop function limen_ledger_head; drop table ledger_anchor');
}
