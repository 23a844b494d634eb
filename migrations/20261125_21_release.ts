import type { Knex } from 'knex';

/** Units that are given up: their maker's registry is asked to release them, in the same queue as claims. */
export async function up(knex: Knex): Promise<void> {
	await knex.raw(`
alter table unit drop constraint unit_ownership_check,
	add constraint unit_ownership_check check (ownership in ('asked', 'confirmed', 'refused', 'released')),
	-- what is not ours any more serves nowhere
	add constraint released_is_out_of_service check (ownership <> 'released' or out_of_service_at is not null);
alter table claim_request add column kind text not null default 'claim' check (kind in ('claim', 'release')),
	add check (kind = 'claim' or claim_code = '');
-- one that was put back in service meanwhile is not noted as released
grant select (out_of_service_at) on unit to limen_registry;
drop index claim_request_turn;
create index claim_request_turn on claim_request (maker_id, kind, next_at, unit_id);
`);
}

export async function down(knex: Knex): Promise<void> {
	await knex.raw(`
revoke select (out_of_service_at) on unit from limen_registry;
drop index claim_request_turn;
delete from claim_request where kind = 'release';
alter table claim_request drop column kind;
create index claim_request_turn on claim_request (maker_id, next_at, unit_id);
update unit set ownership = 'confirmed' where ownership = 'released';
alter table unit drop constraint released_is_out_of_service, drop constraint unit_ownership_check,
	add constraint unit_ownership_check check (ownership in ('asked', 'confirmed', 'refused'));
`);
}
