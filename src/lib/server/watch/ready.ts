import { missingAt, writeLocalTime, type Missing, type PositionStanding } from '../../../core/plan';
import { readinessOf, type Gap, type Prepared, type TwinProblem } from '../../../core/watch';
import { BOOTSTRAP, database, runAs } from '../database';
import { notifyEach } from '../live';
import { log } from '../log';
import { standingSites } from '../plan';
import { GivenUp } from '../threads';
import { rehearseSites } from './rehearsal';

/** What is looked at of sites besides what their plans lack. Of any customer: whoever asks has seen the sites already. */
async function preparedAt(siteIds: readonly string[]): Promise<ReadonlyMap<string, Prepared>> {
	const { rows } = await runAs(BOOTSTRAP, () =>
		database().raw(
			`select site.id as "siteId", site.time_zone as zone, (extract(epoch from appointment_at) * 1000)::float8 as at, appointment_minutes as minutes,
				access_hours as "accessHours",
				(select (extract(epoch from max(made_at)) * 1000)::float8 from site_link where site_link.site_id = site.id) as "cardAt",
				(select (extract(epoch from max(ledger_entry.at)) * 1000)::float8 from ledger_entry
					where subject_kind = 'site' and subject_id = site.id::text and act = 'plan cabling') as "cabledAt",
				coalesce((select jsonb_agg(jsonb_build_object('id', position.id, 'name', position.name,
					'unit', case when unit.id is not null then jsonb_build_object('id', unit.id, 'serial', unit.serial, 'ownership', unit.ownership,
						'shippedTo', case when elsewhere.id <> site.id and stands.standing = 'waiting' then elsewhere.name end) end
				) order by position.name) from position join position_standing stands on stands.position_id = position.id
					left join unit on unit.id = stands.unit_id
					left join site elsewhere on elsewhere.id = unit.shipped_site_id
					where stands.site_id = site.id), '[]') as positions
			from site where site.id = any (?::uuid[])`,
			[[...siteIds]]
		)
	);
	return new Map(
		(rows as (Prepared & { zone: string; at: number | null })[]).map(({ zone, at, ...one }) => [
			one.siteId,
			{ ...one, appointment: at === null ? null : writeLocalTime(Math.round(at), zone) }
		])
	);
}

/**
 * What stands between a site and its appointment. `missing`: what its plan lacks, as far as whoever asks may know;
 * `isRehearsed`: they may see what its units would be given.
 */
export async function gapsAt(
	siteId: string,
	missing: readonly Missing[],
	isRehearsed: boolean
): Promise<Gap[]> {
	const [prepared, stops] = await Promise.all([
		preparedAt([siteId]),
		isRehearsed ? stopsAt([siteId]) : NO_STOPS
	]);
	const known = prepared.get(siteId);
	return known ? readinessOf(missing, known, stops.get(siteId)) : [];
}

/** What the rehearsals of sites run into; nothing of those that take too long. */
async function stopsAt(siteIds: readonly string[]): Promise<ReadonlyMap<string, readonly TwinProblem[]>> {
	try {
		const rehearsals = await rehearseSites(siteIds);
		return new Map(rehearsals.map(({ siteId, problems }) => [siteId, problems]));
	} catch (error) {
		if (!(error instanceof GivenUp)) throw error;
		log.warn({ sites: siteIds.length }, 'sites could not be rehearsed');
		return NO_STOPS;
	}
}
const NO_STOPS: ReadonlyMap<string, readonly TwinProblem[]> = new Map();

/** Sites whose appointment is so near are looked at by themselves, so many at one go. */
const AHEAD = '7 days';
const MOST_AT_ONCE = 60;

/** Looks at the sites whose appointments are near, those not looked at for longest first, and keeps what it finds. Runs as BOOTSTRAP. */
export async function lookWhoIsReady(): Promise<void> {
	const { rows } = await database().raw(
		`select site.id, site.customer_id as "customerId" from site join site_standing stands on stands.site_id = site.id
		left join site_readiness kept on kept.site_id = site.id
		where appointment_at between now() - interval '1 day' and now() + interval '${AHEAD}' and stands.word not in ('online', 'unproven', 'proof-failed')
		order by looked_at nulls first limit ${MOST_AT_ONCE}`
	);
	const due = rows as { id: string; customerId: string }[];
	if (due.length === 0) return;
	const ids = due.map(({ id }) => id);
	const [sites, prepared, stops, positions] = await Promise.all([
		standingSites(database(), (query) => query.whereIn('site.id', ids)),
		preparedAt(ids),
		stopsAt(ids),
		positionsAt(ids)
	]);
	const looked = due.flatMap(({ id, customerId }) => {
		const site = sites.find((one) => one.id === id);
		const known = prepared.get(id);
		if (!site || !known) return [];
		const missing = missingAt(
			site.facts,
			{ at: site.appointmentAt, technician: site.technicianId ? 'named' : null },
			positions.filter(({ siteId }) => siteId === id)
		);
		return [{ id, customerId, gaps: readinessOf(missing, known, stops.get(id)) }];
	});
	await keep(looked);
}

/** Keeps what was found, and tells whoever watches of what is otherwise than before. */
async function keep(
	looked: readonly { readonly id: string; readonly customerId: string; readonly gaps: readonly Gap[] }[]
): Promise<void> {
	await database().transaction(async (trx) => {
		const { rows } = await trx.raw(
			`with given as (
				select * from jsonb_to_recordset(?::jsonb) as g(id uuid, "customerId" uuid, gaps jsonb)
			), before as (
				select site_id, site_readiness.gaps from site_readiness join given on given.id = site_id
			), kept as (
				insert into site_readiness (site_id, customer_id, gaps, looked_at) select id, "customerId", gaps, now() from given
				on conflict (site_id) do update set gaps = excluded.gaps, looked_at = excluded.looked_at
			) select given.id, "customerId" from given left join before on before.site_id = given.id where before.gaps is distinct from given.gaps`,
			[JSON.stringify(looked)]
		);
		await notifyEach(trx, 'readiness', rows as { id: string; customerId: string }[]);
	});
}

/** The positions of sites. What their configurations lack shows in the rehearsal. */
async function positionsAt(siteIds: readonly string[]) {
	const rows: { siteId: string; name: string; standing: PositionStanding }[] = await database()('position')
		.join('position_standing as stands', 'stands.position_id', 'position.id')
		.whereIn('stands.site_id', [...siteIds])
		.orderBy('position.name')
		.select('position.site_id as siteId', 'position.name', 'standing');
	return rows.map((row) => ({ ...row, problems: [] }));
}

/** What was found when sites were looked at last; those that were not are left out. */
export async function readinessAt(siteIds: readonly string[]): Promise<ReadonlyMap<string, readonly Gap[]>> {
	const rows: { id: string; gaps: Gap[] }[] = await database()('site_readiness')
		.whereIn('site_id', [...siteIds])
		.select('site_id as id', 'gaps');
	return new Map(rows.map(({ id, gaps }) => [id, gaps]));
}
