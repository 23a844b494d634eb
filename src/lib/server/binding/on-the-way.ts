import { counted } from '../../../core/text';
import type { Verdict, WantedPlace } from '../../../core/intake';
import { nearestFirst, type OpenPlace } from '../../../core/onboarding';
import { database } from '../database';
import { enterInLedger, type Actor } from '../ledger';
import { warningsOf } from './pairing';
import { fillOpenPositions } from './rules';
import { bindUnit } from './bind';

/** A row of a batch; some say where their unit belongs. */
interface Row {
	readonly line: number;
	readonly serial: string;
	readonly verdict: Verdict;
	readonly unitId: string | null;
	readonly place: WantedPlace | null;
}
type PlacedRow = Row & { readonly place: WantedPlace };
/** What became of binding it, in words. `ok` is null when nothing was to be bound, or somebody has to approve it first. */
export interface PlacedOutcome {
	readonly ok: boolean | null;
	readonly words: string;
}

/** More than this at once is a rollout and belongs in pieces. */
const MOST_PLACED = 500;

/**
 * Binds units that were just taken in: to the positions that their list names, to the next open position of
 * the profile that it names, or else by the customer's rules. Each is an act of its own: those that can be
 * bound are, the others say why not and stay claimed. A list that names a site alone says where its unit was
 * shipped. The same list again changes nothing. Whoever may bind for the customer may do it. Returns what
 * became of each, by its line.
 */
export async function bindOnTheWay(
	customerId: string,
	rows: readonly Row[],
	actor: Actor
): Promise<ReadonlyMap<number, PlacedOutcome>> {
	const good = rows.filter(({ verdict }) => verdict === 'claimed' || verdict === 'already-ours');
	const named = good.filter((row): row is PlacedRow => row.place !== null);
	const outcomes = new Map<number, PlacedOutcome>();
	if (named.length > 0) await bindNamed(customerId, named, actor, outcomes);
	const free = rows.filter(({ verdict, line }) => verdict === 'claimed' && !outcomes.has(line));
	const lineOf = new Map(free.flatMap(({ unitId, line }) => (unitId ? [[unitId, line] as const] : [])));
	if (lineOf.size > 0)
		for (const { unitId, place, bound, problem } of await fillOpenPositions(
			customerId,
			[...lineOf.keys()],
			actor
		))
			outcomes.set(lineOf.get(unitId)!, {
				ok: bound,
				words:
					bound === null
						? `By rule for ${place}, once approved.`
						: bound
							? `Bound to ${place}, by rule.`
							: `Not bound to ${place}: ${problem}`
			});
	return outcomes;
}

async function bindNamed(
	customerId: string,
	named: readonly PlacedRow[],
	actor: Actor,
	outcomes: Map<number, PlacedOutcome>
): Promise<void> {
	const found = await findPlaces(customerId, named);
	await noteShipping(customerId, found, actor);
	const open = await openByProfile(
		customerId,
		named.flatMap(({ place }) => (place.position === null ? (place.profile ?? []) : []))
	);
	let bound = 0;
	for (const [index, { line, place }] of named.entries()) {
		const there = found[index]!;
		const settled = settledBefore(place, there);
		if (settled !== null) outcomes.set(line, settled);
		// Where it was shipped is noted; where it goes is for rules and people
		else if (place.position === null && place.profile === null) continue;
		else if (++bound > MOST_PLACED)
			outcomes.set(line, notBound(`at most ${MOST_PLACED} at once. Send the rest again.`));
		else outcomes.set(line, await bindThere(place, there, open, actor));
	}
}

const notBound = (why: string): PlacedOutcome => ({ ok: false, words: `Not bound: ${why}` });

/** What can be said of a row without binding anything; null when it is to be bound. */
function settledBefore(
	place: WantedPlace,
	{ unitId, siteId, positionId, boundTo }: Found
): PlacedOutcome | null {
	if (unitId === null) return notBound('its unit is not there any more.');
	if (place.site !== null && siteId === null) return notBound(`there is no site “${place.site}”.`);
	if (place.position !== null && positionId === null)
		return notBound(`there is no position “${place.position}” at “${place.site}”.`);
	if (boundTo === null) return null;
	if (boundTo === positionId)
		return { ok: true, words: `Bound to ${place.position} at ${place.site} already.` };
	return positionId === null && place.profile !== null ? { ok: true, words: 'Bound already.' } : null;
}

async function bindThere(
	place: WantedPlace,
	{ unitId, siteId, positionId }: Found,
	open: ProfilePlace[],
	actor: Actor
): Promise<PlacedOutcome> {
	const next = positionId
		? { id: positionId, words: `${place.position} at ${place.site}` }
		: takeNext(open, place.profile!, siteId);
	if (next === null)
		return notBound(`no open position${place.site ? ` at “${place.site}”` : ''} follows “${place.profile}”.`);
	const act = await bindUnit(next.id, unitId!, actor);
	if (!act.ok) return notBound(act.problem);
	const warnings = await warningsOf({ unitId: unitId!, positionId: next.id });
	return { ok: true, words: [`Bound to ${next.words}.`, ...warnings].join(' ') };
}

interface Found {
	readonly unitId: string | null;
	readonly siteId: string | null;
	readonly positionId: string | null;
	/** Where the unit is bound now. */
	readonly boundTo: string | null;
}

/** The unit, site and position of each row, in the order of the rows. */
async function findPlaces(customerId: string, rows: readonly PlacedRow[]): Promise<readonly Found[]> {
	const { rows: found } = await database().raw(
		`select unit.id as "unitId", place.site_id as "siteId", place.position_id as "positionId", binding.position_id as "boundTo"
		from unnest(?::text[], ?::text[], ?::text[]) with ordinality as wanted(serial, site, position, ordinal)
		-- a serial number is one maker's: where two have it, it names no unit
		left join lateral (
			select (array_agg(id))[1] as id from unit where serial = wanted.serial and customer_id = ? having count(*) = 1
		) unit on true
		left join binding on binding.unit_id = unit.id
		left join lateral (
			select site.id as site_id, position.id as position_id
			from site left join position on position.site_id = site.id and lower(position.name) = lower(wanted.position)
			where site.customer_id = ? and lower(site.name) = lower(wanted.site) limit 1
		) place on true
		order by ordinal`,
		[
			rows.map(({ serial }) => serial),
			rows.map(({ place }) => place.site) as string[],
			rows.map(({ place }) => place.position) as string[],
			customerId,
			customerId
		]
	);
	return found;
}

type ProfilePlace = OpenPlace & { readonly siteId: string; readonly profile: string };

/** The open positions that follow one of these profiles, the nearest appointment first. */
async function openByProfile(customerId: string, profiles: readonly string[]): Promise<ProfilePlace[]> {
	if (profiles.length === 0) return [];
	const { rows } = await database().raw(
		`select position.id, position.name, site.id as "siteId", site.name as "siteName", position.role_id as "roleId", lower(profile.name) as profile,
			(extract(epoch from appointment_at) * 1000)::float8 as "appointmentAt"
		from position join site on site.id = position.site_id join profile on profile.id = position.profile_id
		where position.customer_id = ? and lower(profile.name) = any (?::text[])
			and not exists (select from binding where position_id = position.id)`,
		[customerId, [...new Set(profiles.map((name) => name.toLowerCase()))]]
	);
	return (rows as ProfilePlace[]).sort(nearestFirst(Date.now()));
}

/** Takes the first that is left out of the open positions. */
function takeNext(
	open: ProfilePlace[],
	profile: string,
	siteId: string | null
): { id: string; words: string } | null {
	const at = open.findIndex(
		(place) => place.profile === profile.toLowerCase() && (siteId === null || place.siteId === siteId)
	);
	const [place] = at < 0 ? [] : open.splice(at, 1);
	return place ? { id: place.id, words: `${place.name} at ${place.siteName}` } : null;
}

/** Keeps where units were shipped, for when somebody pairs them otherwise. */
async function noteShipping(customerId: string, found: readonly Found[], actor: Actor): Promise<void> {
	const shipped = found.filter(({ unitId, siteId }) => unitId !== null && siteId !== null);
	if (shipped.length === 0) return;
	await database().transaction(async (trx) => {
		const { rowCount } = await trx.raw(
			`update unit set shipped_site_id = s.site_id from unnest(?::uuid[], ?::uuid[]) as s(unit_id, site_id)
			where unit.id = s.unit_id and shipped_site_id is distinct from s.site_id`,
			[shipped.map(({ unitId }) => unitId!), shipped.map(({ siteId }) => siteId!)]
		);
		if (rowCount === 0) return;
		await enterInLedger(trx, actor, [
			{
				act: 'note shipping',
				customerId,
				subjectKind: 'customer',
				subjectId: customerId,
				words: `By their list, ${counted(rowCount, 'unit was', 'units were')} shipped to a site.`
			}
		]);
	});
}
