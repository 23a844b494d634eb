import type pg from 'pg';
import { packed } from '../../src/lib/server/archive/packing';
import type { Size } from './size';

/** What happened at each place: runs, sends, proofs, readings and differences of the last year, with their records. */
export async function makeLife(client: pg.Client, size: Size, sealed: string, text: string): Promise<void> {
	const say = async (sql: string, values: unknown[] = []) => void (await client.query(sql, values));
	await say(`
insert into run_event (run_id, at, kind, words, step_before, step_after, customer_id)
	select run_id, bound_at + make_interval(mins => 5 * at), case at when 0 then 'call' when 4 then 'proof' else 'report' end, 'As it said', before, after, customer_id
	from made_online cross join (values (0, 'bound', 'calling'), (1, 'calling', 'identity'), (2, 'identity', 'configuration'), (3, 'configuration', 'proof'), (4, 'proof', 'online')) as v(at, before, after);
insert into step_time (group_id, run_id, customer_id, began_at, seconds, has_ended)
	select g.id, u.run_id, u.customer_id, bound_at, 60 + n % 300, true from made_online u
	join lateral (select id from step_group where model_id = u.model order by id limit 1) g on true;
insert into intention (id, unit_id, position_id, customer_id, run_id, revision_id, rendering, at, accepted_by, turn)
	select gen_random_uuid(), u.id, position_id, customer_id, run_id, released_revision_id, '${sealed}', bound_at, 'Maren Aldous', nextval('given_turn') from made_online u join profile on profile.name = u.profile;
insert into send (id, unit_id, position_id, customer_id, run_id, revision_id, intended, before, timer, token, discards, state, committed_at, found, found_at, found_anew, confirm_answered, back_answered, look_at, asked_by, asked_at, ended_at, kind, turn)
	select gen_random_uuid(), u.id, position_id, customer_id, run_id, released_revision_id, '${sealed}', '${sealed}', interval '5 minutes', gen_random_uuid()::text, false, 'confirmed',
		at, 'intended', at, true, true, true, at, 'Maren Aldous', at, at + interval '2 minutes', 'due', nextval('given_turn')
	from made_online u join profile on profile.name = u.profile cross join generate_series(4, 1, -1) turn cross join lateral (select now() - make_interval(days => (turn * 80 + n % 70)::int, mins => (n % 1000)::int) as at) t;`);
	const [whole, next] = [packed(text, null), packed(`${text}\nmore`, text)];
	await say(
		`insert into archive_version (id, unit_id, customer_id, position_id, number, at, seen_at, how, by_whom, firmware, digest, packed, is_whole, lines, bytes)
	select gen_random_uuid(), id, customer_id, position_id, turn, now() - make_interval(days => (5 - turn) * 80), now() - make_interval(days => (4 - turn) * 80), 'send', 'Maren Aldous', version,
		sha256((id::text || turn)::bytea), case when turn = 4 then $1::bytea else $2::bytea end, turn = 4, 120, ${text.length}
	from made_online cross join generate_series(1, 4) turn`,
		[whole, next]
	);
	await say(
		`insert into archive_words (unit_id, customer_id, words) select id, customer_id, $1::text[] || ('b' || site_n) || ('10.' || (site_n / 64 % 256) || '.' || (site_n % 64 * 4) || '.0/22') from made_online`,
		[[...new Set(text.split(/[\s;{}"]+/).filter((word) => word.length > 2))].slice(0, 150)]
	);
	await say(`
create temp table made_finding as select u.*, (n / 50 % 12)::int as what from made_online u where n % 50 = 0;
insert into drift_look (id, unit_id, customer_id, position_id, at, why, intended, state, findings)
	select gen_random_uuid(), id, customer_id, position_id, now() - make_interval(days => day, mins => (n % 600)::int), 'due', sha256(id::text::bytea), 'as intended', 0
	from made_online cross join generate_series(1, 90) day;
insert into drift_look (id, unit_id, customer_id, position_id, at, why, intended, state, findings)
	select gen_random_uuid(), id, customer_id, position_id, now() - make_interval(mins => (n % 600)::int), 'due', sha256(id::text::bytea), case when n % 50 = 0 then 'differs' else 'as intended' end, (n % 50 = 0)::int from made_online;
insert into unit_drift (unit_id, customer_id, position_id, look_id, state, looked_at, since)
	select unit_id, customer_id, position_id, id, state, at, now() - interval '20 days' from drift_look where at > now() - interval '11 hours' and unit_id in (select id from made_online);
insert into finding (id, unit_id, customer_id, position_id, key, same, kind, path, should, runs, touches, dialect, by_whom, since, found_at)
	select gen_random_uuid(), id, customer_id, position_id, sha256((id::text || what)::bytea), sha256(('same' || what)::bytea), 'changed', array['system', 'mtu'], 'mtu ' || what, 'mtu 1492', 'nothing of these', 'braced', 'admin',
		now() - make_interval(days => what + 1), now() - make_interval(days => what + 1) from made_finding;
insert into unit_due (unit_id, customer_id, position_id, inputs, is_behind, why, given_revision, target_version, since, looked_at)
	select u.id, customer_id, position_id, 'as made', n % 10 = 3, case when n % 10 = 3 then array['revision'] else '{}' end, released_revision_id, version, now() - interval '9 days', now()
	from made_online u join profile on profile.name = u.profile;
insert into site_readiness (site_id, customer_id, gaps) select id, customer_id, '[]' from made_site where is_ahead;
create temp table made_proof as
	select gen_random_uuid() as id, s.id as site_id, s.customer_id, n, turn, now() - make_interval(days => (turn - 1) * 11, hours => (n % 24)::int) as at from made_site s cross join generate_series(1, 8) turn where not is_ahead;
insert into site_proof (id, site_id, customer_id, state, why, begun_at, ended_at)
	select id, site_id, customer_id, case when turn = 1 and n % 50 = 0 then 'failed' else 'held' end, 'due', at, at + interval '1 minute' from made_proof;
insert into site_check (proof_id, ordinal, customer_id, position_id, unit_id, kind, expects, state, words, tries, asked_at, ended_at)
	select p.id, row_number() over (partition by p.id order by u.n, check_at), p.customer_id, u.position_id, u.id, kind,
		jsonb_build_object('kind', kind) || case kind when 'serial' then jsonb_build_object('serial', 'x') when 'firmware' then jsonb_build_object('version', u.version) else '{}' end,
		case when p.turn = 1 and p.n % 50 = 0 and u.n % 5 = 1 and kind = 'serial' then 'fails' else 'holds' end, 'It is so.', 1, p.at, p.at + interval '20 seconds'
	from made_proof p join made_online u on u.site_id = p.site_id cross join (values (1, 'serial'), (2, 'firmware'), (3, 'configuration')) as v(check_at, kind);
insert into errand (id, unit_id, customer_id, kind, state, asked_at, deadline, attempts, begun_at, ended_at, why)
	select gen_random_uuid(), id, customer_id, 'read', 'done', at, at + interval '1 hour', 1, at, at + interval '3 seconds', 'due'
	from made_online cross join generate_series(0, 13) day cross join lateral (select now() - make_interval(days => day, mins => (n % 600)::int) as at) t;
insert into dialogue (unit_id, customer_id, errand_id, at, speaker, words, bytes)
	select e.unit_id, e.customer_id, e.id, e.begun_at + make_interval(secs => turn), case when turn % 2 = 0 then 'limen' else 'unit' end, 'show what runs', 14
	from errand e join made_online u on u.id = e.unit_id cross join generate_series(0, 3) turn;
insert into alert (id, unit_id, customer_id, kind, words, begun_at, last_at, ended_at)
	select gen_random_uuid(), id, customer_id, 'not heard', 'Not heard for 20 minutes', at, at, case when fate <> 1 then at + interval '1 hour' end
	from made_online cross join lateral (select now() - make_interval(hours => 2 + (n % 4000)::int) as at) t where n % 5 = 0;
insert into absence (unit_id, customer_id, from_at, to_at)
	select id, customer_id, at, at + make_interval(mins => 3 + (n % 200)::int) from made_online cross join generate_series(1, 20) turn
	cross join lateral (select now() - make_interval(days => (turn * 17 + n % 16)::int) as at) t;`);
	await say(`insert into event (id, unit_id, customer_id, at, said_at, severity, facility, app, kind, words, form)
	select encode(overlay(uuid_send(gen_random_uuid()) placing substring(int8send((extract(epoch from at) * 1000)::bigint) from 3) from 1 for 6), 'hex')::uuid, u.id, customer_id, at, at,
		(array[6, 6, 6, 5, 4, 3])[1 + e % 6], 3, (array['link', 'dhcp', 'system', 'tunnel'])[1 + e % 4], '', (array['port lan1 down', 'port lan1 up', 'lease of 10.0.0.7 renewed', 'tunnel hub up', 'clock set'])[1 + e % 5] || ' no ' || e, 'rfc5424'
	from generate_series(1, ${size.events}) e cross join lateral (select now() - make_interval(secs => e::float8 * ${(89 * 86_400) / size.events}) as at) t
	join (select id, customer_id, row_number() over () - 1 as place from made_online) u on u.place = (e::bigint * 7919) % (select count(*) from made_online)`);
	await say('analyze');
}

/**
 * The records of who did what, in the chain in which they stand; so many at a time: all hang on one row, whose versions
 * are let go of only after each transaction.
 */
export async function makeLedger(client: pg.Client): Promise<void> {
	const { rows } = await client.query('select min(n) as first, max(n) as last from made_unit');
	for (let from = rows[0].first; from <= rows[0].last; from += 300)
		await client.query(
			`insert into ledger_entry (actor, address, act, customer_id, subject_kind, subject_id, words, detail)
			select 'Ines Okafor', '10.1.2.3', act, customer_id, 'unit', id::text, 'Ines Okafor ' || said, '{}'
			from made_unit cross join (values ('claim', 'claimed a unit'), ('bind', 'bound a unit'), ('confirm send', 'sent what was due')) as v(act, said)
			where n >= $1 and n < $1 + 300 order by n`,
			[from]
		);
}
