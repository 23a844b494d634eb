import type pg from 'pg';
import type { Size } from './size';

/**
 * Customers with sites over the country, a position for each unit, and what stands there: most came through long ago and are
 * connected, some are away, under way or stuck, and some sites wait for their hardware. `sealed` stands for every rendering.
 */
export async function makePlan(client: pg.Client, name: string, size: Size, sealed: string): Promise<void> {
	const each = Math.max(1, Math.round(size.units / size.sites));
	await client.query(`
create temp table made_customer as
	select gen_random_uuid() as id, n, '${name} ' || lpad(n::text, 2, '0') as name from generate_series(1, ${size.customers}) n;
insert into customer (id, name, created_at) select id, name, now() - interval '2 years' from made_customer;
create temp table made_process as select gen_random_uuid() as id;
insert into process (id, name, heartbeat_at) select id, '${name}', now() + interval '1 year' from made_process;
create temp table made_site as
	select gen_random_uuid() as id, c.id as customer_id, place as n, place % 100 >= 97 as is_ahead
	from generate_series(1, ${size.sites}) place join made_customer c on c.n = 1 + (place * 7919) % ${size.customers};
insert into site (id, customer_id, name, street, locality, country, latitude, longitude, time_zone, uplink, contact, phone, created_at, appointment_at, proof_state, proof_at, proof_since)
	select id, customer_id, 'Branch ' || lpad(n::text, 5, '0'), n || ' Main Road',
		(array['Nelson', 'Picton', 'Blenheim', 'Kaikoura', 'Timaru', 'Oamaru', 'Dunedin', 'Gore', 'Invercargill', 'Wanaka', 'Hokitika', 'Greymouth'])[1 + n % 12],
		'NZ', -41 - 5 * random(), 168 + 5 * random(), 'Pacific/Auckland', (array['fibre', 'fibre', 'dsl', 'cellular'])[1 + n % 4], 'Somebody', '021 555 ' || lpad((n % 10000)::text, 4, '0'),
		now() - interval '400 days', case when is_ahead then now() + make_interval(days => n % 30) end,
		case when is_ahead then null when n % 50 = 0 then 'failed' else 'held' end,
		case when not is_ahead then now() - make_interval(hours => n % 24) end, case when not is_ahead then now() - interval '40 days' end
	from made_site;
create temp table made_unit as
	select gen_random_uuid() as position_id, gen_random_uuid() as id, gen_random_uuid() as run_id, s.id as site_id, s.customer_id, s.n as site_n, s.is_ahead, k, (s.n - 1) * ${each} + k as n,
		kind.role, kind.model, kind.maker, kind.profile, kind.version, kind.prefix, kind.position,
		now() - make_interval(days => 20 + (s.n % 340), hours => k::int) as bound_at, 0::int as fate
	from made_site s cross join generate_series(1, ${each}) k
	cross join lateral (select * from (values
		(1, 'gateway', 'og-2', 'okapira', 'Clinic gateway', '7.0.3', 'PG', 'gw-1'),
		(2, 'switch', 'bw-8p', 'brackwater', 'Access switch', '4.2.0', 'PS', 'sw-1'),
		(3, 'access-point', 'lf-6', 'lumenfold', 'Indoor access point', '3.4.0', 'PA', 'ap-' || (k - 2))
	) as v(at, role, model, maker, profile, version, prefix, position) where at = least(k, 3)) kind;
-- 1 of 100 away, under way, or stuck each; the rest is as it should be
update made_unit set fate = 1 + n / 33 % 3 where n % 33 = 0;
insert into position (id, site_id, customer_id, name, role_id, profile_id, values)
	select position_id, site_id, customer_id, position, role, profile.id, jsonb_build_object('hostname', 'b' || site_n || '-' || position, 'networks', '10.' || (site_n / 64 % 256) || '.' || (site_n % 64 * 4) || '.0/22')
	from made_unit join profile on profile.name = made_unit.profile;
create temp table made_batch as select gen_random_uuid() as id, id as customer_id from made_customer;
insert into batch (id, customer_id, taken_at, taken_by) select id, customer_id, now() - interval '400 days', 'Ines Okafor' from made_batch;
insert into unit (id, serial, maker_id, model_id, customer_id, mac, claim_hash, claimed_at, reported_version, heard_at, dialled_home_at, batch_id, line, ownership)
	select u.id, prefix || lpad(n::text, 8, '0') || substr(upper(md5('${name}' || n)), 1, 3), maker, model, u.customer_id,
		('02' || lpad(to_hex(('x' || substr(md5('${name}'), 1, 5))::bit(20)::int), 5, '0') || lpad(to_hex(n), 5, '0'))::macaddr, sha256(u.id::text::bytea), bound_at - interval '3 days',
		case when not is_ahead then version end, case when not is_ahead then now() - interval '1 hour' end, case when not is_ahead then now() - interval '1 day' end, b.id, n, 'confirmed'
	from made_unit u join made_batch b using (customer_id);
-- Of the sites ahead half have their units bound, and those wait to be heard of
insert into run (id, unit_id, position_id, customer_id, number, step, outcome, since, revision_id, target_version, rendering, begun_at, heard_at, ended_at, failure_step, failure_kind, failure_words, called_at, turn)
	select run_id, u.id, position_id, u.customer_id, 1,
		case when is_ahead then 'bound' when fate = 2 then (array['calling', 'firmware', 'configuration', 'proof'])[1 + n % 4] when fate = 3 then 'configuration' else 'online' end,
		case when is_ahead or fate = 2 then 'open' when fate = 3 then 'failed' else 'through' end,
		case when fate = 2 then now() - make_interval(mins => (n % 600)::int) else bound_at + interval '20 minutes' end,
		released_revision_id, version, '${sealed}', bound_at, bound_at + interval '15 minutes',
		case when is_ahead or fate = 2 then null else bound_at + interval '20 minutes' end,
		case when fate = 3 and not is_ahead then 'configuration' end, case when fate = 3 and not is_ahead then 'config-error' end,
		case when fate = 3 and not is_ahead then 'line 12: unknown port ' || (n % 9) end, case when not is_ahead then bound_at + interval '10 minutes' end, nextval('given_turn')
	from made_unit u join profile on profile.name = u.profile where not is_ahead or site_n % 2 = 0;
insert into binding (position_id, unit_id, customer_id, role_id, run_id, bound_at, model_id)
	select position_id, id, customer_id, role, run_id, bound_at, model from made_unit where not is_ahead or site_n % 2 = 0;
create temp table made_online as select * from made_unit where not is_ahead and fate < 2;
create index on made_online (id);
insert into unit_connection (unit_id, customer_id, process_id, session, way, address, since, round_trip_ms, ended_at, why_ended)
	select u.id, customer_id, p.id, gen_random_uuid(), 'home over SSH', ('10.250.' || (n / 256 % 256) || '.' || n % 256)::inet, now() - make_interval(hours => (n % 700)::int), 10 + n % 40,
		case when fate = 1 then now() - make_interval(mins => 30 + (n % 3000)::int) end, case when fate = 1 then 'It was silent.' end
	from made_online u cross join made_process p;
analyze;`);
}
