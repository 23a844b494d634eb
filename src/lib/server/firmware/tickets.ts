import { database } from '../database';
import { keyedHash, sameHash } from '../keys';
import { currentSettings, publicUrl } from '../settings';

/**
 * An address at which one unit may fetch one image: it carries a ticket that only Limen can make, so that whoever is not
 * given it cannot fetch, by whatever means the unit downloads. It is good while the unit is to have that image.
 */
export const imageAddress = (unitId: string, line: string, version: string): string =>
	`${publicUrl(currentSettings())}/images/${encodeURIComponent(line)}/${encodeURIComponent(version)}?ticket=${unitId}.${ticketOf(unitId, line, version).toString('base64url')}`;

const ticketOf = (unitId: string, line: string, version: string): Buffer =>
	keyedHash(JSON.stringify(['image', unitId, line, version]));

const TICKET = /^([0-9a-f]{8}(?:-[0-9a-f]{4}){3}-[0-9a-f]{12})\.([A-Za-z0-9_-]{20,100})$/;

/** The unit that may fetch an image with a ticket now, and its site; null when nobody may. Runs as BOOTSTRAP. */
export async function fetcherOf(
	line: string,
	version: string,
	ticket: string | null
): Promise<{ readonly unitId: string; readonly siteId: string } | null> {
	const [, unitId, given] = TICKET.exec(ticket ?? '') ?? [];
	if (!unitId || !given) return null;
	if (!sameHash(Buffer.from(given, 'base64url'), ticketOf(unitId, line, version))) return null;
	const { rows } = await database().raw(
		`select binding.unit_id as "unitId", position.site_id as "siteId"
		from binding join run on run.id = binding.run_id join position on position.id = binding.position_id
		where binding.unit_id = :unitId and (run.outcome = 'open' or exists (
			select from flash where flash.unit_id = binding.unit_id and flash.ended_at is null and :version = any (path)))`,
		{ unitId, version }
	);
	return rows[0] ?? null;
}
