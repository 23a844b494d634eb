import type { Knex } from 'knex';

/**
 * What came of each row of a batch, said once: a row is the unit it became, or what is kept of it until it
 * is mended or dropped; one that was mended is the row that came in its place. So the outcomes of a batch
 * always add up to its rows.
 */
export async function up(knex: Knex): Promise<void> {
	await knex.raw(`
create view batch_line with (security_invoker = true) as
	select batch_id, customer_id, line, null::integer as ordinal, id as unit_id, serial, mac,
		case ownership when 'asked' then 'asked' when 'refused' then 'registry-refused' else 'claimed' end as outcome,
		ownership_words as reason
	from unit
	union all
	select batch_id, customer_id, line, ordinal, null, serial, mac, verdict, reason
	from batch_row where settled_at is null;
grant select on batch_line to limen_people, limen_setup;
`);
}

export async function down(knex: Knex): Promise<void> {
	await knex.raw('drop view batch_line');
}
