import type { Knex } from 'knex';

/**
 * Profiles, parts and images are the firm's; these say for which customers a change of one would change what
 * a network runs, so that whoever changes it can be asked for the right at each. And who wrote a draft, so that
 * somebody else can be wanted to release it.
 */
export async function up(knex: Knex): Promise<void> {
	const answer = (name: string, given: string, query: string) => `
create function ${name}(${given}) returns setof uuid language sql stable security definer set search_path = public, pg_temp as
	$$ ${query} $$;
revoke execute on function ${name} from public;
grant execute on function ${name} to limen_people, limen_setup;`;
	await knex.raw(
		answer(
			'limen_profile_customers',
			'profile uuid',
			'select distinct customer_id from position where profile_id = profile'
		) +
			answer(
				'limen_part_customers',
				'part uuid',
				`select distinct position.customer_id from profile_part
				join profile_revision revision on revision.id = profile_part.revision_id
				join profile on profile.id = revision.profile_id
				join position on position.profile_id = profile.id
				where profile_part.part_id = part and (revision.state = 'draft' or revision.id = profile.released_revision_id)`
			) +
			answer(
				'limen_image_customers',
				'line text, version text',
				`select distinct position.customer_id from profile
				join profile_revision revision on revision.id = profile.released_revision_id
				join position on position.profile_id = profile.id where revision.targets ->> line = version`
			) +
			`
drop function limen_followed_elsewhere;
alter table profile_revision add column edited_by_id uuid references person;
alter table part_revision add column edited_by_id uuid references person;`
	);
}

export async function down(knex: Knex): Promise<void> {
	await knex.raw(`
alter table profile_revision drop column edited_by_id;
alter table part_revision drop column edited_by_id;
create function limen_followed_elsewhere(profile uuid) returns integer
language plpgsql stable security definer set search_path = public, pg_temp as $$
begin
	if limen_sees_all() then return 0; end if;
	return (select count(distinct customer_id)::int from position where profile_id = profile and not customer_id = any (limen_changes()));
end $$;
revoke execute on function limen_followed_elsewhere from public;
grant execute on function limen_followed_elsewhere to limen_people, limen_setup;
drop function limen_profile_customers, limen_part_customers, limen_image_customers`);
}
