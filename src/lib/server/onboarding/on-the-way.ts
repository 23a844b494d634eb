import type { Verdict } from '../../../core/intake';
import { database } from '../database';
import type { Actor } from '../ledger';
import { bindUnit } from './service';

/** A row of a batch; some say where their unit belongs. */
interface Row {
	readonly line: number;
	readonly serial: string;
	readonly verdict: Verdict;
	readonly place: { readonly site: string; readonly position: string } | null;
}
type PlacedRow = Row & { readonly place: NonNullable<Row['place']> };
/** What became of binding it, in words. */
export interface PlacedOutcome {
	readonly ok: boolean;
	readonly words: string;
}

/** More than this at once is a rollout and belongs in pieces. */
const MOST_PLACED = 500;

/**
 * Binds units that were just taken in to the positions that their list names. Each is an act of its own:
 * those that can be bound are, the others say why not and stay claimed. The same list again changes
 * nothing. Whoever may bind for the customer may do it. Returns what became of each, by its line.
 */
export async function bindOnTheWay(
	customerId: string,
	rows: readonly Row[],
	actor: Actor
): Promise<ReadonlyMap<number, PlacedOutcome>> {
	const outcomes = new Map<number, PlacedOutcome>();
	const wanted = rows.filter(
		(row): row is PlacedRow =>
			row.place !== null && (row.verdict === 'claimed' || row.verdict === 'already-ours')
	);
	if (wanted.length === 0) return outcomes;
	const placed = wanted.slice(0, MOST_PLACED);
	const found = await findPlaces(customerId, placed);
	for (const [index, { line, place }] of placed.entries()) {
		const { unitId, positionId, boundTo } = found[index]!;
		const where = `${place.position} at ${place.site}`;
		const say = (ok: boolean, words: string) => outcomes.set(line, { ok, words });
		if (unitId === null) say(false, 'It could not be bound: its unit is not there any more.');
		else if (positionId === null)
			say(false, `Not bound: there is no position “${place.position}” at “${place.site}”.`);
		else if (boundTo === positionId) say(true, `Bound to ${where} already.`);
		else {
			const act = await bindUnit(positionId, unitId, actor);
			say(act.ok, act.ok ? `Bound to ${where}.` : `Not bound: ${act.problem}`);
		}
	}
	for (const { line } of wanted.slice(MOST_PLACED))
		outcomes.set(line, {
			ok: false,
			words: `Not bound: at most ${MOST_PLACED} at once. Send the rest again.`
		});
	return outcomes;
}

interface Found {
	readonly unitId: string | null;
	readonly positionId: string | null;
	/** Where the unit is bound now. */
	readonly boundTo: string | null;
}

/** The unit and the position of each row, in the order of the rows. */
async function findPlaces(customerId: string, rows: readonly PlacedRow[]): Promise<readonly Found[]> {
	const { rows: found } = await database().raw(
		`select unit.id as "unitId", place.id as "positionId", binding.position_id as "boundTo"
		from unnest(?::text[], ?::text[], ?::text[]) with ordinality as wanted(serial, site, position, ordinal)
		left join lateral (select id from unit where serial = wanted.serial and customer_id = ? limit 1) unit on true
		left join binding on binding.unit_id = unit.id
		left join lateral (
			select position.id from position join site on site.id = position.site_id
			where position.customer_id = ? and lower(site.name) = lower(wanted.site) and lower(position.name) = lower(wanted.position) limit 1
		) place on true
		order by ordinal`,
		[
			rows.map(({ serial }) => serial),
			rows.map(({ place }) => place.site),
			rows.map(({ place }) => place.position),
			customerId,
			customerId
		]
	);
	return found;
}
