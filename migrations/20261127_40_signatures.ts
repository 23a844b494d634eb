import type { Knex } from 'knex';

/** Whoever is on site signs on the technician's phone, also without signal; the handover takes it over. */
export async function up(knex: Knex): Promise<void> {
	await knex.raw(`
alter table day_entry drop constraint field_entry_kind_check,
	add constraint day_entry_kind_check check (kind in ('bind', 'note', 'photo', 'signature')),
	-- the strokes, as a path in a frame of 600 by 200
	add column signature text check (length(signature) <= 60000 and signature ~ '^[ML0-9 .-]+$'),
	add constraint day_entry_signed check ((kind = 'signature') = (signature is not null));
`);
}

export async function down(knex: Knex): Promise<void> {
	await knex.raw(`
delete from day_entry where kind = 'signature';
alter table day_entry drop column signature, drop constraint day_entry_kind_check,
	add constraint field_entry_kind_check check (kind in ('bind', 'note', 'photo'));
`);
}
