import { database } from '../database';
import type { Why } from './behind';

/** How many units were behind on a day, and for which reasons; a unit can have more than one. */
export interface BehindOnDay extends Readonly<Record<Why, number>> {
	/** In days since the epoch. */
	readonly day: number;
	readonly units: number;
	readonly behind: number;
}

const MOST_DAYS = 400;

/** Day by day, oldest first, of these customers (null: of all), and of one profile where it is named. */
export async function behindByDay(
	customers: readonly string[] | null,
	profileId: string | null
): Promise<BehindOnDay[]> {
	const { rows } = await database().raw(
		`select day - date '1970-01-01' as day, sum(units)::int as units, sum(behind)::int as behind, sum(by_revision)::int as revision,
			sum(by_values)::int as values, sum(by_firmware)::int as firmware
		from behind_on_day where day > current_date - ${MOST_DAYS} and (:customers::uuid[] is null or customer_id = any (:customers::uuid[]))
			and (:profile::uuid is null or profile_id = :profile::uuid)
		group by day order by day`,
		{ customers: customers && [...customers], profile: profileId }
	);
	return rows;
}

/** Counts today; the last count of a day stays. Done twice, it does no harm. Runs as BOOTSTRAP. */
export async function countWhoIsBehind(): Promise<void> {
	await database().transaction(async (trx) => {
		// What has no unit any more has none today either
		await trx('behind_on_day')
			.where({ day: trx.raw('current_date') })
			.delete();
		await trx.raw(
			`insert into behind_on_day (customer_id, profile_id, day, units, behind, by_revision, by_values, by_firmware)
			select due.customer_id, position.profile_id, current_date, count(*), count(*) filter (where is_behind),
				count(*) filter (where 'revision' = any (why)), count(*) filter (where 'values' = any (why)), count(*) filter (where 'firmware' = any (why))
			from unit_due due join position on position.id = due.position_id where position.profile_id is not null
			group by due.customer_id, position.profile_id
			on conflict (customer_id, profile_id, day) do update set units = excluded.units, behind = excluded.behind,
				by_revision = excluded.by_revision, by_values = excluded.by_values, by_firmware = excluded.by_firmware`
		);
	});
}
