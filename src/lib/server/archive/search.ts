import { linesWith, wordsIn } from '../../../core/archive';
import { database } from '../database';
import { maskedTextOf } from './store';

/** A version that holds what was looked for. */
export interface FoundVersion {
	readonly id: string;
	readonly unitId: string;
	readonly serial: string;
	readonly number: number;
	readonly at: Date;
	readonly seenAt: Date;
	/** Its unit runs it, as far as is known. */
	readonly isNewest: boolean;
	readonly siteName: string | null;
	readonly positionName: string | null;
	readonly lines: readonly { readonly line: number; readonly text: string }[];
}
export interface Found {
	readonly versions: readonly FoundVersion[];
	/** There may be more: so many versions were looked through. */
	readonly looked: number;
	readonly isAll: boolean;
}

const MOST_FOUND = 200;
const MOST_LINES = 5;
/** So many versions are opened for one search. */
const MOST_LOOKED = 3_000;

/**
 * The versions that have a line with all these words: of what units run now, or of all that is kept. `customers`:
 * where whoever asks may see renderings; null for all.
 */
export async function searchArchive(
	words: string,
	{ customers, everything }: { readonly customers: readonly string[] | null; readonly everything: boolean }
): Promise<Found> {
	const wanted = wordsIn(words.slice(0, 500)).slice(0, 20);
	if (wanted.length === 0) return { versions: [], looked: 0, isAll: true };
	const { rows } = await database().raw(
		`select version.id, version.unit_id as "unitId", unit.serial, version.number, version.at, version.seen_at as "seenAt",
			not exists (select from archive_version later where later.unit_id = version.unit_id and later.number > version.number) as "isNewest",
			site.name as "siteName", position.name as "positionName"
		from archive_words join archive_version version using (unit_id) join unit on unit.id = version.unit_id
		left join position on position.id = version.position_id left join site on site.id = position.site_id
		where archive_words.words @> :wanted::text[] and (:customers::uuid[] is null or archive_words.customer_id = any (:customers::uuid[]))
			and (:everything or not exists (select from archive_version later where later.unit_id = version.unit_id and later.number > version.number))
		order by version.at desc limit ${MOST_LOOKED + 1}`,
		{ wanted, customers: customers && [...customers], everything }
	);
	const candidates = rows as Omit<FoundVersion, 'lines'>[];
	const versions: FoundVersion[] = [];
	let looked = 0;
	for (const candidate of candidates.slice(0, MOST_LOOKED)) {
		if (versions.length >= MOST_FOUND) break;
		looked++;
		const lines = linesWith(
			(await maskedTextOf(database(), candidate.unitId, candidate.number)) ?? '',
			wanted
		);
		if (lines.length > 0) versions.push({ ...candidate, lines: lines.slice(0, MOST_LINES) });
	}
	return { versions, looked, isAll: looked === candidates.length };
}
