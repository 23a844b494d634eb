import type { Knex } from 'knex';

/**
 * What units said is found by any part of a word, of five million as of five hundred. The walls are asked within the search:
 * PostgreSQL uses no index for a comparison that might tell what stands behind a wall.
 */
export async function up(knex: Knex): Promise<void> {
	await knex.raw(`
create extension if not exists pg_trgm;
create index event_said on event using gin ((app || ': ' || words) gin_trgm_ops);
create function limen_events_said(parts text[], units uuid[], customers uuid[], severity integer, since timestamptz, until timestamptz, before uuid, most integer)
returns setof uuid language plpgsql stable security definer set search_path = public, pg_temp as $$
declare
	said constant text := (select string_agg(format('app || '': '' || words ilike %L', '%' || regexp_replace(part, '([\\\\%_])', '\\\\\\1', 'g') || '%'), ' and ')
		from unnest(parts) part);
	theirs constant uuid[] := case when limen_sees_all() then customers
		else array(select unnest(coalesce(customers, limen_reads())) intersect select unnest(limen_reads())) end;
begin
	return query execute format('select id from event where %s and severity <= $1', said)
		|| case when units is null then '' else ' and unit_id = any ($2)' end
		|| case when theirs is null then '' else ' and customer_id = any ($3)' end
		|| case when since is null then '' else ' and at >= $4' end
		|| case when until is null then '' else ' and at < $5' end
		|| case when before is null then '' else ' and id < $6' end
		|| ' order by id desc limit $7'
		using severity, units, theirs, since, until, before, most;
end $$;
revoke all on function limen_events_said from public;
grant execute on function limen_events_said to limen_people`);
}

export async function down(knex: Knex): Promise<void> {
	await knex.raw('drop function limen_events_said; drop index event_said');
}
