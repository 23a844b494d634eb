import type { Knex } from 'knex';

/** Each with how its figures stand in one array: one number for each key, or least, mean, greatest and the share that is known. */
const TABLES = { health_reading: 'moment', health_hour: 'stretch', health_day: 'stretch' } as const;
const SHAPES = {
	moment: 'array_ndims(figures) = 1',
	stretch: 'array_ndims(figures) = 2 and array_length(figures, 2) = 4'
};

/**
 * Figures take a third of the room as an array with their keys beside it: as JSON, each of its numbers took 14 octets where a
 * real takes four, and these are the largest tables of all. What reads them reads them through these functions.
 */
export async function up(knex: Knex): Promise<void> {
	await knex.raw(`
-- the figures of a reading, one a row
create function limen_moment(keys text, figures real[]) returns table (key text, value real) language sql immutable parallel safe as
	$$ select * from unnest(string_to_array($1, e'\\n'), $2) $$;
-- those of an hour or a day, one a row
create function limen_stretch(keys text, figures real[]) returns table (key text, low real, mean real, high real, known real)
	language sql immutable parallel safe as $$
	select k, $2[place::int][1], $2[place::int][2], $2[place::int][3], $2[place::int][4] from string_to_table($1, e'\\n') with ordinality of_row(k, place) $$;
-- one figure of a reading; null where it has none of that key
create function limen_figure(keys text, figures real[], key text) returns real language sql immutable parallel safe as
	$$ select $2[array_position(string_to_array($1, e'\\n'), $3)] $$;

-- A port may have been called by a name that breaks lines; a key does not
create function pg_temp.keys_in(given jsonb) returns text language sql immutable as
	$$ select coalesce(string_agg(key, e'\\n' order by key collate "C"), '') from jsonb_object_keys(given) key where key !~ '[[:cntrl:]]' $$;
create function pg_temp.moment_in(given jsonb) returns real[] language sql immutable as
	$$ select coalesce(array_agg(value::real order by key collate "C"), '{}') from jsonb_each_text(given) where key !~ '[[:cntrl:]]' $$;
create function pg_temp.stretch_in(given jsonb) returns real[] language sql immutable as $$
	select coalesce(array_agg(array[(value->>0)::real, (value->>1)::real, (value->>2)::real, (value->>3)::real] order by key collate "C"), '{}')
	from jsonb_each(given) where key !~ '[[:cntrl:]]' $$`);
	for (const [table, shape] of Object.entries(TABLES) as [keyof typeof TABLES, keyof typeof SHAPES][])
		await knex.raw(`
alter table ${table} add keys text not null default '';
-- both out of the row as it was, in one writing of the table
alter table ${table} alter keys drop default, alter keys type text using pg_temp.keys_in(figures),
	alter figures type real[] using pg_temp.${shape}_in(figures),
	-- the keys stand one a line, in the order of the figures
	add check (coalesce(array_length(figures, 1), 0) = cardinality(string_to_array(keys, e'\\n')) and (keys = '' or ${SHAPES[shape]}))`);
}

export async function down(knex: Knex): Promise<void> {
	await knex.raw(`
create function pg_temp.of_moment(keys text, figures real[]) returns jsonb language sql immutable as
	$$ select coalesce(jsonb_object_agg(m.key, m.value), '{}') from limen_moment($1, $2) m $$;
create function pg_temp.of_stretch(keys text, figures real[]) returns jsonb language sql immutable as
	$$ select coalesce(jsonb_object_agg(s.key, jsonb_build_array(s.low, s.mean, s.high, s.known)), '{}') from limen_stretch($1, $2) s $$`);
	for (const [table, shape] of Object.entries(TABLES))
		await knex.raw(`
do $$ declare one text; begin
	for one in select conname from pg_constraint where conrelid = '${table}'::regclass and contype = 'c' loop
		execute format('alter table ${table} drop constraint %I', one);
	end loop;
end $$;
alter table ${table} alter figures type jsonb using pg_temp.of_${shape}(keys, figures);
alter table ${table} drop keys`);
	await knex.raw('drop function limen_moment, limen_stretch, limen_figure');
}
