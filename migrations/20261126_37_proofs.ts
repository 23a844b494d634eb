import type { Knex } from 'knex';
import { wall } from './help/walls';

/**
 * A site's proof: typed checks of its units, each with what the plan expects and what was found. A site is online when
 * its units are and its last proof held; who binds or unbinds a unit there makes it unproven.
 */
const EVERYTHING = {
	limen_bootstrap: 'select, insert, update, delete',
	limen_setup: 'select, insert, update, delete'
};

export async function up(knex: Knex): Promise<void> {
	await knex.raw(`
alter table site add column proof_state text check (proof_state in ('held', 'failed')), add column proof_at timestamptz,
	-- since when its proofs come out as the last one did
	add column proof_since timestamptz,
	add constraint proof_is_whole check (num_nonnulls(proof_state, proof_at, proof_since) in (0, 3));

-- what proofs check and how strictly, where that is not as usual
alter table profile add column proof_limits jsonb;
alter table site_pattern add column proof_limits jsonb;
grant update (proof_limits) on profile to limen_people;
grant select on site_pattern to limen_bootstrap;
create policy proofs_read on site_pattern for select to limen_bootstrap using (true);

create table site_proof (
	id uuid primary key,
	site_id uuid not null,
	customer_id uuid not null,
	-- ended: another took its place before it was over
	state text not null default 'open' check (state in ('open', 'held', 'failed', 'ended')),
	why text not null check (why in ('asked', 'complete', 'due', 'sent', 'again')),
	asked_by uuid references person,
	begun_at timestamptz not null default now(),
	ended_at timestamptz,
	unique (id, customer_id),
	foreign key (site_id, customer_id) references site (id, customer_id) on delete cascade,
	check ((state = 'open') = (ended_at is null))
);
create unique index one_proof_at_a_time on site_proof (site_id) where state = 'open';
create index on site_proof (site_id, begun_at desc);

create table site_check (
	proof_id uuid not null,
	ordinal integer not null,
	customer_id uuid not null,
	position_id uuid not null,
	unit_id uuid not null references unit,
	kind text not null check (kind ~ '^[a-z]{1,20}$'),
	-- of a command of the profile's only its name: what it says can hold a secret
	expects jsonb not null,
	state text not null default 'waiting' check (state in ('waiting', 'asking', 'holds', 'fails', 'unread', 'cannot')),
	words text not null default '' check (length(words) <= 20000),
	figures jsonb not null default '[]',
	-- of what it is plugged into: all that the unit heard, from which the site's cabling is compared
	heard jsonb,
	tries integer not null default 0,
	asked_at timestamptz,
	ended_at timestamptz,
	look_at timestamptz,
	errand_id uuid references errand on delete set null,
	primary key (proof_id, ordinal),
	foreign key (proof_id, customer_id) references site_proof (id, customer_id) on delete cascade,
	foreign key (position_id, customer_id) references position (id, customer_id) on delete cascade,
	check ((state in ('waiting', 'asking')) = (ended_at is null))
);
create index on site_check (proof_id) where ended_at is null;
-- so that removing an errand does not read them all
create index on site_check (errand_id);

create function site_is_unproven() returns trigger language plpgsql security definer set search_path = public, pg_temp as $$
begin
	update site set proof_state = null, proof_at = null, proof_since = null
	from position where position.id = coalesce(new.position_id, old.position_id) and site.id = position.site_id and proof_state is not null;
	return null;
end $$;
revoke execute on function site_is_unproven from public;
create trigger a_binding_makes_its_site_unproven after insert or delete on binding
	for each row execute function site_is_unproven();
grant update (proof_state, proof_at, proof_since) on site to limen_bootstrap;
`);
	await knex.raw(`
-- how each site stands, from its positions and its last proof; the same as core's \`siteStanding\`
create view site_standing with (security_invoker = true) as
	select site.id as site_id, site.customer_id, coalesce(counts.online, 0) as online, coalesce(counts.positions, 0) as positions,
		case
			when positions is null then 'empty'
			when online = positions then case proof_state when 'held' then 'online' when 'failed' then 'proof-failed' else 'unproven' end
			when stuck > 0 then 'stuck' when silent > 0 then 'not-heard'
			when moving > 0 or online > 0 then 'under way' when waiting > 0 then 'waiting' else 'open'
		end as word
	from site left join (
		select site_id, count(*)::int as positions, count(*) filter (where standing = 'online')::int as online,
			count(*) filter (where standing = 'stuck') as stuck, count(*) filter (where standing = 'not-heard') as silent,
			count(*) filter (where standing in ('moving', 'slow')) as moving, count(*) filter (where standing = 'waiting') as waiting
		from position_standing group by site_id
	) counts on counts.site_id = site.id;
grant select on site_standing to limen_people, limen_bootstrap, limen_setup`);
	await wall(knex, {
		table: 'site_proof',
		people: ['insert', 'update'],
		system: { ...EVERYTHING, limen_clean_up: 'select, delete' }
	});
	await wall(knex, { table: 'site_check', people: ['insert', 'update'], system: EVERYTHING });
}

export async function down(knex: Knex): Promise<void> {
	await knex.raw(`
drop trigger a_binding_makes_its_site_unproven on binding;
drop function site_is_unproven;
drop view site_standing;
drop table site_check, site_proof;
drop policy proofs_read on site_pattern;
revoke select on site_pattern from limen_bootstrap;
alter table profile drop column proof_limits;
alter table site_pattern drop column proof_limits;
alter table site drop column proof_state, drop column proof_at, drop column proof_since;
`);
}
