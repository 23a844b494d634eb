import type { Knex } from 'knex';

const ROLES = 'limen_people, limen_bootstrap, limen_registry, limen_sign_in, limen_setup';

/**
 * What a request with a key has done, noted with the act itself: where a process ends after the act and before its answer is
 * kept, the same request is answered and not worked again.
 */
export async function up(knex: Knex): Promise<void> {
	await knex.raw(`
create table idempotency_done (
	id bigint generated always as identity primary key,
	token_id uuid not null,
	key text not null,
	act text not null,
	subject_id text not null,
	words text not null,
	detail jsonb not null,
	foreign key (token_id, key) references idempotency on delete cascade
);
create index on idempotency_done (token_id, key);
alter table idempotency_done enable row level security;
grant insert on idempotency_done to ${ROLES};
create policy add on idempotency_done for insert to ${ROLES} with check (true);
grant select on idempotency_done to limen_people;
create policy own on idempotency_done for select to limen_people
	using (exists (select from idempotency asked where asked.token_id = idempotency_done.token_id and asked.key = idempotency_done.key));
comment on table idempotency_done is 'api: What a request with a key has done, for when its answer is lost.'`);
}

export async function down(knex: Knex): Promise<void> {
	await knex.raw('drop table idempotency_done');
}
