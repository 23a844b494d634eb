import { withSecrets, type Versions } from '../../../core/archive';
import { database } from '../database';
import { unseal } from '../keys';
import { GivenUp, offMainThread, task } from '../threads';
import { unpacked } from './packing';
import type { How } from './store';

/** How a version came about, why, and whether its site held when it was proved next. */
export interface Origin {
	readonly number: number;
	readonly at: Date;
	readonly how: How;
	readonly byWhom: string;
	/** What was said when it was sent. */
	readonly reason: string | null;
	readonly proof: { readonly siteId: string; readonly held: boolean; readonly at: string } | null;
}
export interface LineOrigins {
	/** Of each line of the version, an index into `origins`; null for one that says nothing. */
	readonly lines: readonly (number | null)[];
	readonly origins: readonly Origin[];
	/** The oldest version that was looked at: what is since then can be older. */
	readonly oldest: number;
}

/** So many versions are looked through, counted from the one that is shown, and of so much text. In characters. */
const MOST_VERSIONS = 100;
const MOST_TEXT = 2_000_000;
const SINCE = task<Versions, (number | null)[]>('sinceWhich');

/**
 * Which version what each line of a version says came with; a secret that was changed is a line that was changed. Null
 * when the version is gone, or when it takes too long to say. Behind the walls: whoever sees the unit's customer.
 */
export async function lineOrigins(
	unitId: string,
	number: number,
	how: Pick<Versions, 'dialect' | 'rules'>
): Promise<LineOrigins | null> {
	const { numbers, texts } = await versionsDownFrom(unitId, number);
	if (numbers[0] !== number) return null;
	const since = await offMainThread(SINCE, { texts, ...how }).catch((error: unknown) => {
		if (error instanceof GivenUp) return null;
		throw error;
	});
	if (since === null) return null;
	const numberOf = (index: number | null) => (index === null ? null : numbers[index]!);
	const { rows: origins } = await database().raw(
		`select version.number, version.at, how, by_whom as "byWhom", send.reason,
			case when proof.state is not null then jsonb_build_object('siteId', place.site_id, 'held', proof.state = 'held', 'at', proof.ended_at) end as proof
		from archive_version version left join send on send.id = version.send_id left join position place on place.id = version.position_id
		left join lateral (
			select state, ended_at from site_proof
			where site_id = place.site_id and state in ('held', 'failed') and ended_at >= version.at order by ended_at limit 1
		) proof on true
		where version.unit_id = :unit and version.number = any (:wanted::integer[]) order by version.number`,
		{ unit: unitId, wanted: [...new Set(since.flatMap((index) => numberOf(index) ?? []))] }
	);
	const indexOf = new Map((origins as Origin[]).map((origin, index) => [origin.number, index]));
	return {
		lines: since.map((index) => indexOf.get(numberOf(index) ?? 0) ?? null),
		origins: origins as Origin[],
		oldest: numbers.at(-1)!
	};
}

/** The whole texts of a version and of those before it, newest first, as many as are looked through. */
async function versionsDownFrom(
	unitId: string,
	number: number
): Promise<{ readonly numbers: number[]; readonly texts: string[] }> {
	const { rows } = await database().raw(
		`select number, packed, is_whole, secrets from archive_version
		where unit_id = :unit and number > :after and number <= (
			select min(number) from archive_version where unit_id = :unit and number >= :number and is_whole)
		order by number desc`,
		{ unit: unitId, number, after: number - MOST_VERSIONS }
	);
	const [numbers, texts]: [number[], string[]] = [[], []];
	let [text, secrets, length]: [string | null, string | null, number] = [null, null, 0];
	for (const row of rows as { number: number; packed: Buffer; is_whole: boolean; secrets: string | null }[]) {
		text = unpacked(row.packed, row.is_whole ? null : text);
		secrets = row.secrets ?? secrets;
		if (row.number > number) continue;
		length += text.length;
		if (length > MOST_TEXT && texts.length > 0) break;
		numbers.push(row.number);
		texts.push(
			secrets === null
				? text
				: withSecrets({ masked: text, secrets: JSON.parse(unseal(secrets)) as string[] })
		);
	}
	return { numbers, texts };
}
