import type { Knex } from 'knex';

/** What somebody does for a customer is their duty; a role is what a position has. */
const FUNCTIONS = [
	'limen_changes',
	'limen_is_staff',
	'limen_audits',
	'limen_writes_profiles',
	'limen_colleagues',
	'refuse_stranger_as_technician'
];

/** The column and the functions that read it; sessions tell duties by that name too. */
async function rename(knex: Knex, from: string, to: string, told: string): Promise<void> {
	await knex.raw(`alter table membership rename column ${from} to ${to}`);
	for (const name of FUNCTIONS) {
		const { rows } = await knex.raw('select pg_get_functiondef(?::regproc) as definition', [name]);
		await knex.raw(
			(rows[0].definition as string).replace(new RegExp(`\\b${from}\\b`, 'g'), to).replaceAll('?', '\\?')
		);
	}
	await knex.raw(`
drop function limen_session;
create function limen_session(hash bytea)
returns table (session_id uuid, person_id uuid, name text, email text, administrator boolean, confirmed_at timestamptz, ${told} jsonb)
language plpgsql security definer set search_path = public, pg_temp as $$
begin
	return query
		select session.id, person.id, person.name, person.email, person.administrator, session.confirmed_at,
			coalesce((select jsonb_object_agg(m.customer_id, m.${to}) from membership m where m.person_id = person.id), '{}')
		from session join person on person.id = session.person_id
		where token_hash = hash and revoked_at is null and ends_at > now() and last_used_at > now() - interval '12 hours' and disabled_at is null;
	update session set last_used_at = now() where token_hash = hash and revoked_at is null
		and last_used_at < now() - interval '1 minute' and last_used_at > now() - interval '12 hours';
end $$;
revoke execute on function limen_session from public;
grant execute on function limen_session to limen_people, limen_setup, limen_sign_in;
`);
}

export const up = (knex: Knex): Promise<void> => rename(knex, 'role', 'duty', 'duties');
export const down = (knex: Knex): Promise<void> => rename(knex, 'duty', 'role', 'roles');
