import type { Knex } from 'knex';

/** Who may sign a model's images, and who signed an image. */
export async function up(knex: Knex): Promise<void> {
	await knex.raw(`
alter table model
	add column signers text[] not null default '{}',
	-- an image without a signature of one of them is not taken
	add column is_signed boolean not null default false,
	add check (not is_signed or signers <> '{}');
alter table image
	add column signature bytea check (octet_length(signature) between 1 and 1024),
	-- SHA-256 of the public key (SubjectPublicKeyInfo) that it was made with
	add column signed_by bytea check (octet_length(signed_by) = 32),
	add check ((signature is null) = (signed_by is null))`);
}

export async function down(knex: Knex): Promise<void> {
	await knex.raw(`
alter table image drop column signature, drop column signed_by;
alter table model drop column signers, drop column is_signed`);
}
