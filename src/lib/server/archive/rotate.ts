import type { Knex } from 'knex';
import { database } from '../database';
import { packed } from './packing';
import { maskedTextOf, REFERRED_TO } from './store';
import { USUAL_RULE } from './rules';

const AT_ONCE = 500;

/**
 * Lets go of versions that are beyond what their customer keeps: more than so many newer ones, or not run for so many
 * days. Never the newest, one that somebody pinned, or one that a handover refers to. Runs as BOOTSTRAP.
 */
export async function rotate(): Promise<number> {
	const { rows } = await database().raw(
		`select unit_id as "unitId", array_agg(number order by number) as numbers from (
			select archive_version.*, row_number() over (partition by unit_id order by number desc) as place
			from archive_version
		) archive_version
		left join upkeep_rule rule on rule.customer_id = archive_version.customer_id
		where place > 1 and pinned_at is null and (
			place > coalesce(rule.keep_versions, :versions)
			or seen_at < now() - make_interval(days => coalesce(rule.keep_days, :days)))
			and not (${REFERRED_TO})
		group by unit_id limit ${AT_ONCE}`,
		{ versions: USUAL_RULE.keepVersions, days: USUAL_RULE.keepDays }
	);
	let gone = 0;
	for (const { unitId, numbers } of rows as { unitId: string; numbers: number[] }[])
		gone += await database().transaction((trx) => remove(trx, unitId, numbers));
	return gone;
}

/** The version before one that goes is kept against the one after it, and takes over its secrets where it shared them. */
async function remove(trx: Knex, unitId: string, numbers: readonly number[]): Promise<number> {
	// Nobody adds or removes versions of it meanwhile
	const versions: { number: number; is_whole: boolean; secrets: string | null }[] = await trx(
		'archive_version'
	)
		.where({ unit_id: unitId })
		.orderBy('number')
		.forUpdate()
		.select('number', 'is_whole', 'secrets');
	const going = new Set(numbers);
	const staying = versions.filter(({ number }) => !going.has(number));
	for (const [index, { number, is_whole, secrets }] of staying.entries()) {
		const next = staying[index + 1];
		const between = versions.filter((one) => one.number > number && one.number < (next?.number ?? 0));
		if (between.length === 0) continue;
		const [text, after] = [
			is_whole ? null : await maskedTextOf(trx, unitId, number),
			next ? await maskedTextOf(trx, unitId, next.number) : null
		];
		const inherited =
			secrets === null ? (between.find((one) => one.secrets !== null)?.secrets ?? null) : null;
		await trx('archive_version')
			.where({ unit_id: unitId, number })
			.update({
				number,
				...(text !== null && after !== null && { packed: packed(text, after) }),
				...(inherited !== null && { secrets: inherited })
			});
	}
	return trx('archive_version')
		.where({ unit_id: unitId })
		.whereIn('number', [...numbers])
		.delete();
}
