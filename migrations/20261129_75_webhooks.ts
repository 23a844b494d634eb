import type { Knex } from 'knex';

const EVERYTHING = 'select, insert, update, delete';

/** Where something happens that is told: by which change of which table, how grave it is, and in which words. */
const TOLD = [
	{
		name: 'alert_begun',
		when: 'after insert on alert',
		tell: `'alert.begun', new.customer_id, new.unit_id, null, 4, 'Alert: ' || new.words, limen_alert_told(new)`
	},
	{
		name: 'alert_seen',
		when: 'after update of seen_at, owner_id on alert',
		only: 'new.seen_at is not null and (old.seen_at is null or old.owner_id is distinct from new.owner_id)',
		tell: `'alert.seen', new.customer_id, new.unit_id, null, 6, coalesce(new.owner || ' takes care of it: ', new.seen_by || ' has seen: ') || new.words, limen_alert_told(new)`
	},
	{
		name: 'alert_ended',
		when: 'after update of ended_at on alert',
		only: 'old.ended_at is null and new.ended_at is not null',
		tell: `'alert.ended', new.customer_id, new.unit_id, null, 5, 'Over: ' || new.words, limen_alert_told(new)`
	},
	{
		name: 'run_ended',
		when: 'after update of outcome on run',
		only: `new.outcome in ('through', 'failed') and old.outcome <> new.outcome`,
		tell: `case new.outcome when 'through' then 'run.through' else 'run.failed' end, new.customer_id, new.unit_id, null,
			case new.outcome when 'through' then 5 else 3 end,
			case new.outcome when 'through' then 'It came through.' else 'It failed: ' || coalesce(new.failure_words, '') end,
			jsonb_build_object('run', new.id, 'words', new.failure_words)`
	},
	{
		name: 'send_ended',
		when: 'after update of ended_at on send',
		only: 'old.ended_at is null and new.ended_at is not null',
		tell: `'send.ended', new.customer_id, new.unit_id, null, case new.state when 'confirmed' then 5 else 4 end, 'What was sent: ' || new.state || '.',
			jsonb_build_object('send', new.id, 'state', new.state, 'askedBy', new.asked_by)`
	},
	{
		name: 'proof_ended',
		when: 'after update of state on site_proof',
		only: `new.state in ('held', 'failed') and old.state <> new.state`,
		tell: `case new.state when 'held' then 'site.proven' else 'site.unproven' end, new.customer_id, null, new.site_id, 5, '',
			jsonb_build_object('proof', new.id, 'why', new.why)`
	},
	{
		name: 'handover_made',
		when: 'after insert on handover',
		tell: `'handover.made', new.customer_id, null, new.site_id, 5, '',
			jsonb_build_object('handover', new.id, 'number', new.number, 'state', new.state, 'openPoints', new.open_points, 'acceptedBy', new.accepted_by,
				'recordSha256', new.record_sha256)`
	}
];

/**
 * What happens is told, by the database itself, so that no way of making it happen forgets to: beside what units say, in the
 * same shape, and to programs that want to know.
 */
export async function up(knex: Knex): Promise<void> {
	await knex.raw(`
create table webhook (
	id uuid primary key,
	name text not null check (name <> '' and length(name) <= 80),
	url text not null check (length(url) <= 2000),
	-- whose; null: everybody's
	customer_id uuid references customer,
	kinds text[] not null check (cardinality(kinds) > 0),
	-- sealed; what it is told is signed with it
	secret text not null,
	is_on boolean not null default true,
	edit integer not null default 1,
	made_by text not null,
	made_at timestamptz not null default now(),
	ended_at timestamptz,
	ended_by text,
	-- how it went lately: failures on end, and not before when it is tried again
	failures integer not null default 0,
	next_at timestamptz not null default now(),
	trouble text not null default '' check (length(trouble) <= 500),
	-- a process tells it something until then
	claimed_until timestamptz,
	check ((ended_at is null) = (ended_by is null))
);
create table webhook_delivery (
	id uuid primary key,
	webhook_id uuid not null references webhook on delete cascade,
	-- of what happened: the same for every webhook that is told
	event_id uuid not null,
	customer_id uuid references customer,
	kind text not null,
	at timestamptz not null default now(),
	data jsonb not null,
	tries integer not null default 0,
	last_at timestamptz,
	-- what was answered; null: nothing
	status integer,
	took_ms integer,
	trouble text not null default '' check (length(trouble) <= 500),
	taken_at timestamptz,
	given_up_at timestamptz,
	check (taken_at is null or given_up_at is null)
);
create index on webhook_delivery (webhook_id, id desc);
create index webhook_waits on webhook_delivery (webhook_id, id) where taken_at is null and given_up_at is null;
create index on webhook_delivery (at);
${['webhook', 'webhook_delivery']
	.map(
		(table) => `alter table ${table} enable row level security;
grant ${table === 'webhook' ? 'select, insert, update' : 'select, insert, update'} on ${table} to limen_people;
create policy administrators on ${table} to limen_people using ((select limen_sees_all())) with check ((select limen_sees_all()));
grant ${EVERYTHING} on ${table} to limen_bootstrap, limen_setup;
create policy system on ${table} to limen_bootstrap, limen_setup using (true);`
	)
	.join('\n')}
grant select, delete on webhook_delivery to limen_clean_up;
create policy clean_up on webhook_delivery to limen_clean_up using (true);

-- RFC 9562, version 7: in the order in which they are made
create function limen_uuid7() returns uuid language sql volatile as $$
	select encode(set_bit(set_bit(overlay(uuid_send(gen_random_uuid())
		placing substring(int8send((extract(epoch from clock_timestamp()) * 1000)::bigint) from 3) from 1 for 6), 52, 1), 53, 1), 'hex')::uuid
$$;

create function limen_alert_told(alert) returns jsonb language sql immutable as $$
	select jsonb_build_object('alert', $1.id, 'kind', $1.kind, 'words', $1.words, 'part', $1.part, 'begunAt', $1.begun_at, 'endedAt', $1.ended_at,
		'seenBy', $1.seen_by, 'owner', $1.owner, 'withUnits', $1.with_units)
$$;

-- said: empty where it is told to programs alone
create function limen_happened(kind text, customer uuid, unit_told uuid, site_told uuid, severity integer, said text, more jsonb) returns void
language plpgsql security definer set search_path = public, pg_temp as $$
declare happened constant uuid := limen_uuid7();
begin
	if said <> '' and unit_told is not null then
		insert into event (id, unit_id, customer_id, severity, facility, app, kind, words, form)
		values (happened, unit_told, customer, limen_happened.severity, 16, 'limen', upper(replace(limen_happened.kind, '.', '-')), left(said, 2000), 'limen');
	end if;
	insert into webhook_delivery (id, webhook_id, event_id, customer_id, kind, data)
	select limen_uuid7(), webhook.id, happened, customer, limen_happened.kind, more || coalesce((
		select jsonb_build_object('subject', case when unit_told is null then 'sites/' || s.id else 'units/' || u.id end,
			'customer', jsonb_build_object('id', c.id, 'name', c.name),
			'site', case when s.id is not null then jsonb_build_object('id', s.id, 'name', s.name) end,
			'position', case when p.id is not null then jsonb_build_object('id', p.id, 'name', p.name) end,
			'unit', case when u.id is not null then jsonb_build_object('id', u.id, 'serial', u.serial, 'maker', u.maker_id, 'model', u.model_id) end)
		from customer c left join unit u on u.id = unit_told left join binding b on b.unit_id = u.id left join position p on p.id = b.position_id
		left join site s on s.id = coalesce(site_told, p.site_id) where c.id = customer), '{}')
	from webhook where is_on and ended_at is null and limen_happened.kind = any (kinds)
		and (webhook.customer_id is null or webhook.customer_id = customer);
	if found then perform pg_notify('limen_change', '{"topic":"webhook-due","ids":[],"customerId":null}'); end if;
end $$;
revoke all on function limen_happened from public;

${TOLD.map(
	({
		name,
		when,
		only,
		tell
	}) => `create function told_${name}() returns trigger language plpgsql security definer set search_path = public, pg_temp as $$
begin
	perform limen_happened(${tell});
	return null;
end $$;
create trigger told_${name} ${when} for each row ${only ? `when (${only}) ` : ''}execute function told_${name}();`
).join('\n')}`);
}

export async function down(knex: Knex): Promise<void> {
	await knex.raw(`
${TOLD.map(({ name, when }) => `drop trigger told_${name} on ${/ on (\w+)$/.exec(when)![1]}; drop function told_${name};`).join('\n')}
drop function limen_happened; drop function limen_alert_told; drop function limen_uuid7;
drop table webhook_delivery, webhook`);
}
