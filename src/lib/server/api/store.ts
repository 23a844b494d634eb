import type * as v from 'valibot';
import { normalSerial, VERDICTS, type Verdict } from '../../../core/intake';
import { database } from '../database';
import { lastWorkAbout } from '../jobs';
import { outcomesOfBatch } from '../watch';
import type {
	alertSchema,
	batchSchema,
	handoverSchema,
	namedSchema,
	positionSchema,
	reachabilitySchema,
	runSchema,
	siteSchema,
	unitSchema
} from './schemas';

/** What programs read. Each list is in the order of ids, which is the order of making, one item more than a page. */
interface Page {
	readonly limit: number;
	readonly after: string | null;
}

const iso = (column: string) => `to_char(${column} at time zone 'UTC', 'YYYY-MM-DD"T"HH24:MI:SS.MS"Z"')`;

const RUNS = `
	select run.id, run.unit_id as "unitId", unit.serial, run.position_id as "positionId", run.customer_id as "customerId",
		run.number, run.step, run.outcome, ${iso('run.since')} as since, run.failure_step as "failedAt", run.failure_words as failure, nullif(stands.standing, 'open') as standing
	from run join unit on unit.id = run.unit_id left join lateral (select standing from position_standing s where s.run_id = run.id offset 0) stands on true`;

export async function runsPage({ limit, after }: Page): Promise<v.InferOutput<typeof runSchema>[]> {
	const { rows } = await database().raw(
		`${RUNS} where ?::uuid is null or run.id > ?::uuid order by run.id limit ?`,
		[after, after, limit + 1]
	);
	return rows;
}

export async function runById(id: string): Promise<v.InferOutput<typeof runSchema> | undefined> {
	const { rows } = await database().raw(`${RUNS} where run.id = ?`, [id]);
	return rows[0];
}

export async function sitesPage({ limit, after }: Page): Promise<v.InferOutput<typeof siteSchema>[]> {
	const { rows } = await database().raw(
		`select site.id, site.name, site.customer_id as "customerId", word as standing, ${iso('proof_at')} as "provenAt"
		from site cross join lateral (select word from site_standing s where s.site_id = site.id offset 0) stands
		where ?::uuid is null or site.id > ?::uuid order by site.id limit ?`,
		[after, after, limit + 1]
	);
	return rows;
}

export async function namedPage(
	table: 'customer' | 'profile',
	{ limit, after }: Page
): Promise<v.InferOutput<typeof namedSchema>[]> {
	const query = database()(table)
		.orderBy('id')
		.limit(limit + 1)
		.select('id', 'name');
	if (table === 'profile') query.whereNull('retired_at');
	return after ? query.where('id', '>', after) : query;
}

export async function alertsPage({ limit, after }: Page): Promise<v.InferOutput<typeof alertSchema>[]> {
	const { rows } = await database().raw(
		`select id, kind, words, unit_id as "unitId", customer_id as "customerId", ${iso('begun_at')} as "beganAt", ${iso('last_at')} as "lastAt",
			times, ${iso('ended_at')} as "endedAt", ${iso('seen_at')} as "seenAt"
		from alert where ?::uuid is null or id > ?::uuid order by id limit ?`,
		[after, after, limit + 1]
	);
	return rows;
}

/** Whom the positions of a site reach, and who reaches them; null when there is no such site. */
export async function reachabilityOf(
	siteId: string
): Promise<v.InferOutput<typeof reachabilitySchema>[] | null> {
	const { rows } = await database().raw(
		`select near.site_id as "fromSiteId", near.id as "fromPositionId", far.site_id as "toSiteId", far.id as "toPositionId", path,
			loss as "lossPercent", milliseconds as "roundTripMilliseconds", words, ${iso('path_since')} as "pathSince", ${iso('looked_at')} as "lookedAt"
		from reachability r join position near on near.id = from_position join position far on far.id = to_position
		where from_position in (select id from position where site_id = :site) or to_position in (select id from position where site_id = :site)
		order by from_position, to_position`,
		{ site: siteId }
	);
	return rows.length > 0 || (await database()('site').where({ id: siteId }).first('id')) ? rows : null;
}

export async function handoversPage({ limit, after }: Page): Promise<v.InferOutput<typeof handoverSchema>[]> {
	const { rows } = await database().raw(
		`select id, site_id as "siteId", customer_id as "customerId", number, ${iso('made_at')} as "madeAt", made_by as "madeBy",
			accepted_by as "acceptedBy", state, record_sha256 as sha256
		from handover where ?::uuid is null or id > ?::uuid order by id limit ?`,
		[after, after, limit + 1]
	);
	return rows;
}

export async function positionsPage({ limit, after }: Page): Promise<v.InferOutput<typeof positionSchema>[]> {
	const { rows } = await database().raw(
		`select position.id, position.name, position.role_id as role, site.id as "siteId", site.name as site,
			position.customer_id as "customerId", binding.unit_id as "unitId"
		from position join site on site.id = position.site_id left join binding on binding.position_id = position.id
		where ?::uuid is null or position.id > ?::uuid order by position.id limit ?`,
		[after, after, limit + 1]
	);
	return rows;
}

export async function unitsPage(
	{ limit, after }: Page,
	serial: string | null
): Promise<v.InferOutput<typeof unitSchema>[]> {
	const wanted = serial === null ? null : normalSerial(serial);
	const { rows } = await database().raw(
		`select unit.id, serial, mac::text, model.name as model, unit.customer_id as "customerId", binding.position_id as "positionId",
			reported_version as version, ${iso('claimed_at')} as "claimedAt"
		from unit join model on model.id = unit.model_id left join binding on binding.unit_id = unit.id
		where (?::uuid is null or unit.id > ?::uuid) and (?::text is null or serial = ?) order by unit.id limit ?`,
		[after, after, wanted, wanted, limit + 1]
	);
	return rows;
}

/** A batch as it stands now: rows that were mended or dropped since are not in it, and what the makers said is. */
export async function batchById(id: string): Promise<v.InferOutput<typeof batchSchema> | undefined> {
	const batch = await database()('batch').where({ id }).first('id', 'customer_id');
	if (!batch) return undefined;
	const { rows } = await database().raw(
		`select l.line, l.serial, case outcome when 'asked' then 'claimed' when 'registry-refused' then 'refused' else outcome end as verdict,
			l.reason, ${FAILED_AT} as "failedAt", unit_id as "unitId", '[]'::jsonb as repairs, null as binding, unit.ownership
		from batch_line l left join unit on unit.id = unit_id where l.batch_id = ? order by line, ordinal`,
		[id]
	);
	const counts = Object.fromEntries(VERDICTS.map((verdict) => [verdict, 0])) as Record<Verdict, number>;
	for (const { verdict } of rows as { verdict: Verdict }[]) counts[verdict]++;
	const [outcomes, work] = await Promise.all([outcomesOfBatch(id), lastWorkAbout(id)]);
	return { id, customerId: batch.customer_id, counts, rows, bindingWork: work?.id ?? null, outcomes };
}

const FAILED_AT = `case outcome when 'malformed' then 'reading' when 'unknown-model' then 'reading' when 'refused' then 'claiming' when 'registry-refused' then 'registry' end`;
