import type { Knex } from 'knex';

/**
 * A unit belongs to the batch it came in with: a claimed row is the unit itself and stored once, and
 * `batch_row` keeps the others. What suits what is held where it is used, in the binding, so that a
 * unit's row repeats nothing of its model.
 */
export async function up(knex: Knex): Promise<void> {
	await knex.raw(`
alter table model add unique (id, maker_id), add unique (id, role_id, dialect);

alter table batch add unique (id, customer_id);
alter table unit add column batch_id uuid, add column line integer;
update unit set batch_id = came.batch_id, line = came.line from (
	select distinct on (unit.id) unit.id, batch_row.batch_id, batch_row.line
	from unit join batch on batch.customer_id = unit.customer_id
	join batch_row on batch_row.batch_id = batch.id and batch_row.serial = unit.serial and verdict = 'claimed'
	order by unit.id, taken_at desc
) came where came.id = unit.id;
-- units that no kept batch tells of
insert into batch (id, customer_id, taken_at)
select gen_random_uuid(), customer_id, min(claimed_at) from unit where batch_id is null group by customer_id;
update unit set line = 0, batch_id = (
	select id from batch where batch.customer_id = unit.customer_id
	and not exists (select from batch_row where batch_row.batch_id = batch.id) limit 1
) where batch_id is null;
alter table unit alter column batch_id set not null, alter column line set not null;
create index on unit (batch_id);

delete from batch_row where verdict = 'claimed';
alter table batch_row drop constraint batch_row_verdict_check;
alter table batch_row add check (verdict in ('already-ours', 'repeated', 'refused', 'malformed'));

alter table binding drop constraint binding_unit_id_customer_id_role_id_dialect_fkey;
alter table unit drop constraint unit_model_id_maker_id_role_id_dialect_fkey;
alter table unit drop constraint unit_customer_id_id_role_id_dialect_key;
-- the batch names the customer, and its own reference holds that
alter table unit drop constraint unit_customer_id_fkey;
alter table unit drop column role_id, drop column dialect,
	add unique (customer_id, id, model_id),
	add foreign key (model_id, maker_id) references model (id, maker_id),
	add foreign key (batch_id, customer_id) references batch (id, customer_id);
alter table model drop constraint model_id_maker_id_role_id_dialect_key;

alter table binding add column model_id text;
update binding set model_id = unit.model_id from unit where unit.id = binding.unit_id;
alter table binding alter column model_id set not null,
	add foreign key (customer_id, unit_id, model_id) references unit (customer_id, id, model_id),
	add foreign key (model_id, role_id, dialect) references model (id, role_id, dialect);
`);
}

export async function down(knex: Knex): Promise<void> {
	await knex.raw(`
alter table binding drop column model_id;
alter table model add unique (id, maker_id, role_id, dialect);
alter table unit drop constraint unit_customer_id_id_model_id_key, drop constraint unit_model_id_maker_id_fkey,
	drop constraint unit_batch_id_customer_id_fkey, add column role_id text, add column dialect text;
update unit set role_id = model.role_id, dialect = model.dialect from model where model.id = unit.model_id;
alter table unit alter column role_id set not null, alter column dialect set not null,
	add foreign key (customer_id) references customer,
	add unique (customer_id, id, role_id, dialect),
	add foreign key (model_id, maker_id, role_id, dialect) references model (id, maker_id, role_id, dialect);
alter table binding add foreign key (unit_id, customer_id, role_id, dialect) references unit (id, customer_id, role_id, dialect);
alter table batch_row drop constraint batch_row_verdict_check;
alter table batch_row add check (verdict in ('claimed', 'already-ours', 'repeated', 'refused', 'malformed'));
insert into batch_row (batch_id, ordinal, line, serial, mac, verdict, reason)
select batch_id, 1000000 + row_number() over (partition by batch_id order by line), line, serial, mac, 'claimed', '' from unit where line > 0;
alter table unit drop column batch_id, drop column line;
alter table batch drop constraint batch_id_customer_id_key;
alter table model drop constraint model_id_maker_id_key, drop constraint model_id_role_id_dialect_key;
`);
}
