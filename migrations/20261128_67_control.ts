import type { Knex } from 'knex';

/** Units that were taken on come under control in stages: what is common is held first, and their old way in goes last. */
export async function up(knex: Knex): Promise<void> {
	await knex.raw(`
alter table stance drop constraint stance_stance_check,
	add constraint stance_stance_check check (stance in ('watch', 'hold common', 'hold'));

-- something that only its place has, or a secret, stands in it; what was found before counts as that until it is looked at again
alter table finding add column particular boolean not null default true;

-- since when it calls home without being dialled to in between: its address is needed no more
alter table unit_reach add column home_since timestamptz;
-- one that calls home for the first time is known by the key that it shows there
create index unit_reach_host_key on unit_reach using hash (host_key);

-- a try that was let in may find something wrong behind that
alter table login_try add column behind text check (behind in ('privilege', 'prompt')),
	add check (behind is null or outcome = 'in');
alter table alert drop constraint alert_kind_check,
	add constraint alert_kind_check check (kind in ('changed outside', 'put back', 'not put back', 'other host key'));

-- a position of the plan that it is what is given to, and the profile that it followed then
alter table take_on_unit add column of_position uuid references position on delete set null, add column of_profile text not null default '',
	add constraint take_on_unit_of_position_key unique (take_on_id, of_position);
create index on take_on_unit (of_position);

-- what was learnt before says nothing of the library: it is learnt anew
update take_on_group set base = null, result = null from take_on where take_on.id = take_on_id and ended_at is null and profile_id is null;
update take_on set wanted = wanted + 1 where ended_at is null`);
}

export async function down(knex: Knex): Promise<void> {
	await knex.raw(`
delete from alert where kind = 'other host key';
alter table alert drop constraint alert_kind_check, add constraint alert_kind_check check (kind in ('changed outside', 'put back', 'not put back'));
alter table login_try drop column behind;
alter table take_on_unit drop column of_position, drop column of_profile;
drop index unit_reach_host_key;
alter table unit_reach drop column home_since;
alter table finding drop column particular;
delete from stance where stance = 'hold common';
alter table stance drop constraint stance_stance_check,
	add constraint stance_stance_check check (stance in ('watch', 'hold'))`);
}
