import type { Knex } from 'knex';

/**
 * What a twin is made of: the versions of a model's firmware and how large an image it takes, and with which firmware a unit
 * was delivered. And how common each cause is with a model's units that do not come.
 */
export async function up(knex: Knex): Promise<void> {
	await knex.raw(`
alter table model
	add column versions jsonb not null default '[]' check (jsonb_typeof(versions) = 'array'),
	add column room bigint check (room > 0),
	add column causes jsonb not null default '{}' check (jsonb_typeof(causes) = 'object');
-- packs that are in use already
update model set versions = pack.text::jsonb -> 'firmware' -> model.firmware_line -> 'versions'
	from maker join pack on pack.id = maker.pack_id
	where maker.id = model.maker_id and pack.text::jsonb -> 'firmware' -> model.firmware_line -> 'versions' is not null;
alter table unit add column delivered_version text check (delivered_version ~ '^[0-9A-Za-z.+_-]{1,64}$');
`);
}

export async function down(knex: Knex): Promise<void> {
	await knex.raw(`
alter table unit drop column delivered_version;
alter table model drop column versions, drop column room, drop column causes`);
}
