import { compareCabling, cablesAsFound, type ComparedCabling, type HeardPosition } from '../../../core/proof';
import type { Groups } from '../../../core/pattern';
import { refuse, type Act } from '../act';
import { database } from '../database';
import type { Actor } from '../ledger';
import { cablingOf, decideCabling } from '../plan';

/** A site's cabling as its units heard it in the last proof in which they were asked, against the plan. */
export interface FoundCabling extends ComparedCabling {
	readonly at: Date;
}

interface HeardRow {
	readonly positionId: string;
	readonly mac: string | null;
	readonly heard: readonly Groups[] | null;
	readonly at: Date | null;
}

async function heardAt(siteId: string): Promise<readonly HeardRow[]> {
	const { rows } = await database().raw(
		`select position.id as "positionId", unit.mac, said.heard, said.at
		from position join binding on binding.position_id = position.id join unit on unit.id = binding.unit_id
		left join lateral (
			select c.heard, c.ended_at as at from site_check c join site_proof p on p.id = c.proof_id
			where p.site_id = :site and c.position_id = position.id and c.unit_id = unit.id and c.kind = 'neighbours' and c.ended_at is not null
			order by p.begun_at desc limit 1
		) said on true
		where position.site_id = :site`,
		{ site: siteId }
	);
	return rows;
}

async function compared(siteId: string) {
	const [cabling, rows] = await Promise.all([
		cablingOf([siteId]).then((all) => all.get(siteId)),
		heardAt(siteId)
	]);
	if (!cabling) return null;
	const byId = new Map(rows.map((row) => [row.positionId, row]));
	const positions = cabling.positions.map(({ id, name, portNames }): HeardPosition => ({
		id,
		name,
		chassis: byId.get(id)?.mac ?? null,
		ports: portNames,
		heard: byId.get(id)?.heard ?? null
	}));
	const at = rows.reduce<Date | null>(
		(latest, row) => (row.at && (!latest || row.at > latest) ? row.at : latest),
		null
	);
	return { positions, at, found: compareCabling(cabling.cables, positions) };
}

/** How a site is cabled by what its units heard last; null when none was asked yet. */
export async function cablingFound(siteId: string): Promise<FoundCabling | null> {
	const now = await compared(siteId);
	return now?.at ? { ...now.found, at: now.at } : null;
}

/**
 * Lets the plan follow the cables as they were found. Whoever may plan sites for the customer may. Refused: where nothing
 * is elsewhere, or a port that was found is none the plan knows.
 */
export async function acceptCabling(siteId: string, actor: Actor): Promise<Act> {
	const now = await compared(siteId);
	if (!now?.found.cables.some(({ state }) => state === 'elsewhere'))
		return refuse('Every cable that was seen is where it is planned.');
	const cables = cablesAsFound(now.found, now.positions);
	if (!cables) return refuse('A cable is in a port that the plan does not know; edit the cabling by hand.');
	return decideCabling(siteId, cables, actor);
}
