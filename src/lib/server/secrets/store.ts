import type { Knex } from 'knex';
import { dueAt, standingOf, type SecretStanding } from '../../../core/secret';
import { database } from '../database';

/** What is known of a secret that units are given. */
export interface ShownSecret {
	readonly id: string;
	readonly customerId: string;
	readonly customer: string;
	readonly siteId: string | null;
	/** Where it is held: a position with its site, a site, or the customer; a tunnel by its two ends. */
	readonly place: string;
	readonly kind: 'tunnel' | 'field';
	/** The field, or the tunnel. */
	readonly name: string;
	readonly isMade: boolean;
	/** Somebody outside gives it: Limen does not make it anew. */
	readonly isGiven: boolean;
	readonly since: Date | null;
	readonly byWhom: string | null;
	readonly days: number | null;
	readonly due: Date | null;
	readonly standing: SecretStanding;
	readonly provedAt: Date | null;
	readonly proof: string;
	/** The one before is kept until this one is proved. */
	readonly keepsOld: boolean;
	/** Who looked at it in the clear, last first. */
	readonly seen: readonly { readonly who: string; readonly at: string }[];
	readonly isUnderWay: boolean;
}

export const MOST_SECRETS = 2_000;

/** Fields of released profiles whose secrets somebody outside gives. */
const GIVEN = `given_field as materialized (
	select distinct f->>'name' as name from profile join profile_revision revision on revision.id = profile.released_revision_id
	left join profile_part on profile_part.revision_id = revision.id left join part_revision part on part.id = profile_part.part_revision_id
	cross join lateral jsonb_array_elements(revision.fields || coalesce(part.fields, '[]')) f where f->'type'->>'given' = 'true'
)`;

/** The secrets of customers, those first that are to be renewed, then the oldest. `ids`: of these only. */
export async function secrets(
	customers: readonly string[] | null,
	now: number,
	ids: readonly string[] | null = null,
	knex: Knex = database()
): Promise<ShownSecret[]> {
	const { rows } = await knex.raw(
		`with ${GIVEN} select secret.id, secret.customer_id as "customerId", customer.name as customer, coalesce(site.id, near_site.id) as "siteId",
			case when tunnel.id is not null then near.name || ' at ' || near_site.name || ' – ' || far.name || ' at ' || far_site.name
				when position.id is not null then position.name || ' at ' || site.name when site.id is not null then site.name else customer.name end as place,
			case when tunnel.id is null then 'field' else 'tunnel' end as kind, coalesce(tunnel.name, secret.field) as name,
			is_made as "isMade", secret.field in (select name from given_field) as "isGiven", since, person.name as "byWhom", coalesce(own.days, general.days) as days, proved_at as "provedAt", proof, previous is not null as "keepsOld",
			coalesce((select jsonb_agg(jsonb_build_object('who', who, 'at', at) order by at desc) from secret_seen where secret_id = secret.id), '[]') as seen,
			exists (select from rotation_secret r join rotation on rotation.id = r.rotation_id and ended_at is null where r.secret_id = secret.id) as "isUnderWay"
		from secret join customer on customer.id = secret.customer_id
		left join tunnel on tunnel.id = secret.tunnel_id
		left join position near on near.id = tunnel.near_position left join site near_site on near_site.id = near.site_id
		left join position far on far.id = tunnel.far_position left join site far_site on far_site.id = far.site_id
		left join position on position.id = secret.position_id
		left join site on site.id = coalesce(secret.site_id, position.site_id)
		left join person on person.id = secret.person_id
		left join secret_rule own on own.customer_id = secret.customer_id and own.about = case when tunnel.id is null then 'field ' || secret.field else 'tunnels' end
		left join secret_rule general on general.customer_id = secret.customer_id and general.about = ''
		where (:customers::uuid[] is null or secret.customer_id = any (:customers::uuid[])) and (:ids::uuid[] is null or secret.id = any (:ids::uuid[]))
		order by coalesce(own.days, general.days) is null, since + make_interval(days => coalesce(own.days, general.days)) nulls first, since nulls first, customer.name, place, name
		limit ${MOST_SECRETS + 1}`,
		{ customers: customers && [...customers], ids: ids && [...ids] }
	);
	return (rows as ShownSecret[]).map((row) => {
		const since = row.since?.getTime() ?? null;
		const due = dueAt(since, row.days);
		return {
			...row,
			due: due === null || due === 0 ? null : new Date(due),
			standing: standingOf(since, row.days, now)
		};
	});
}

/** A secret as it is renewed: where it stands in the plan, and which units hold it. */
export interface HeldSecret {
	readonly id: string;
	readonly customerId: string;
	readonly scope: 'customer' | 'site' | 'position' | 'tunnel';
	/** The row that it stands in. */
	readonly holder: string;
	readonly field: string;
	readonly name: string;
	readonly since: Date | null;
	readonly personId: string | null;
	readonly isMade: boolean;
	readonly isGiven: boolean;
	readonly previous: string | null;
	readonly provedAt: Date | null;
	readonly proof: string;
	/** Sealed. */
	readonly value: string;
	readonly ends: readonly string[];
}

/** The same, and nobody else changes them until the transaction is over. */
export async function lockedSecrets(trx: Knex, ids: readonly string[]): Promise<readonly HeldSecret[]> {
	const before = await heldSecrets(trx, ids);
	for (const table of ['customer', 'site', 'position', 'tunnel'] as const) {
		const rows = before.flatMap(({ scope, holder }) => (scope === table ? [holder] : []));
		if (rows.length > 0) await trx(table).whereIn('id', rows).orderBy('id').forNoKeyUpdate().select('id');
	}
	return heldSecrets(trx, ids);
}

/** Secrets with what they are. */
export async function heldSecrets(knex: Knex, ids: readonly string[]): Promise<readonly HeldSecret[]> {
	const { rows } = await knex.raw(
		`with ${GIVEN} select secret.id, secret.customer_id as "customerId", field, field in (select name from given_field) as "isGiven", since, person_id as "personId", is_made as "isMade", previous, proved_at as "provedAt", proof,
			case when secret.tunnel_id is not null then 'tunnel' when secret.position_id is not null then 'position' when secret.site_id is not null then 'site' else 'customer' end as scope,
			coalesce(secret.tunnel_id, secret.position_id, secret.site_id, secret.customer_id) as holder, coalesce(tunnel.name, field) as name,
			coalesce(tunnel.secret, coalesce(position.values, site.values, customer.values)->>field) as value,
			array_remove(array[tunnel.near_position, tunnel.far_position], null) as ends
		from secret join customer on customer.id = secret.customer_id left join tunnel on tunnel.id = secret.tunnel_id
		left join position on position.id = secret.position_id left join site on site.id = secret.site_id
		where secret.id = any (:ids::uuid[]) order by secret.id`,
		{ ids: [...ids] }
	);
	return rows;
}

/** A unit that is online and runs a secret. */
export interface Holder {
	readonly secretId: string;
	readonly unitId: string;
	readonly positionId: string;
	/** What it runs was given to it before the secret was made. */
	readonly runsOld: boolean;
}

/**
 * The units that run secrets: of a tunnel those at its ends; of a field those below the place it stands in whose profile reads
 * the field in their dialect and for their uplink, and that have no own.
 */
export async function holdersOf(knex: Knex, ids: readonly string[]): Promise<readonly Holder[]> {
	const { rows } = await knex.raw(
		`select secret.id as "secretId", binding.unit_id as "unitId", position.id as "positionId", coalesce(given.at < secret.since, true) as "runsOld"
		from secret join position on position.customer_id = secret.customer_id
		join site on site.id = position.site_id
		join binding on binding.position_id = position.id join run on run.id = binding.run_id and run.outcome = 'through'
		join unit on unit.id = binding.unit_id join model on model.id = unit.model_id
		join profile on profile.id = position.profile_id
		left join lateral (
			select at from served where served.position_id = position.id and served.unit_id = binding.unit_id order by turn desc limit 1
		) given on true
		left join tunnel on tunnel.id = secret.tunnel_id
		where secret.id = any (:ids::uuid[])
			and case when tunnel.id is not null then position.id in (near_position, far_position) when secret.position_id is not null then position.id = secret.position_id
				when secret.site_id is not null then position.site_id = secret.site_id and not jsonb_exists(position.values, secret.field)
				else not jsonb_exists(position.values, secret.field) and not jsonb_exists(site.values, secret.field) end
			and (tunnel.id is not null or exists (
				select from profile_revision revision cross join lateral (
					select revision.texts->>model.dialect as text, revision.fields
					union all
					select part.texts->>model.dialect, part.fields from profile_part join part_revision part on part.id = profile_part.part_revision_id
					join part whole on whole.id = part.part_id
					where profile_part.revision_id = revision.id
						and (whole.purpose is null or whole.purpose not like 'uplink-%' or whole.purpose = 'uplink-' || site.uplink)
				) piece
				where revision.id = profile.released_revision_id and (piece.text ~ ('\\m' || secret.field || '\\M')
					or exists (select from jsonb_array_elements(piece.fields) f where f->>'formula' ~ ('\\m' || secret.field || '\\M')))))`,
		{ ids: [...ids] }
	);
	return rows;
}
