import type { Knex } from 'knex';

/** Units out of service: failed and replaced, kept for the record, bound nowhere. */
export async function up(knex: Knex): Promise<void> {
	await knex.raw(`
alter table unit
	add column out_of_service_at timestamptz,
	add column out_of_service_why text check (length(out_of_service_why) <= 1000),
	-- the unit that took over where it was
	add column replaced_by uuid references unit,
	add check ((out_of_service_at is null) = (out_of_service_why is null)),
	add check (replaced_by is null or out_of_service_at is not null),
	add check (replaced_by <> id);
create index on unit (replaced_by) where replaced_by is not null;

create function refuse_unit_out_of_service() returns trigger language plpgsql as $$
begin
	if exists (select from unit where id = new.unit_id and out_of_service_at is not null) then
		raise exception 'a unit out of service is bound nowhere'
			using errcode = 'integrity_constraint_violation', constraint = 'unit_in_service';
	end if;
	return new;
end $$;
create trigger unit_in_service before insert or update of unit_id on binding
	for each row execute function refuse_unit_out_of_service();
create function refuse_out_of_service_while_bound() returns trigger language plpgsql as $$
begin
	if exists (select from binding where unit_id = new.id) then
		raise exception 'a unit that is bound is in service' using errcode = 'integrity_constraint_violation', constraint = 'unit_in_service';
	end if;
	return new;
end $$;
create trigger unit_in_service before update of out_of_service_at on unit
	for each row when (new.out_of_service_at is not null) execute function refuse_out_of_service_while_bound();
`);
}

export async function down(knex: Knex): Promise<void> {
	await knex.raw(`
drop trigger unit_in_service on unit;
drop trigger unit_in_service on binding;
drop function refuse_out_of_service_while_bound, refuse_unit_out_of_service;
alter table unit drop column replaced_by, drop column out_of_service_why, drop column out_of_service_at;
`);
}
