import { group } from 'd3';
import { counted } from '../../../core/text';
import type { Verdict, WantedPlace } from '../../../core/intake';
import { nearestFirst, type OpenPlace } from '../../../core/onboarding';
import type { Act } from '../act';
import { database, timeNow } from '../database';
import { enterInLedger, type Actor } from '../ledger';
import { fillings } from './filling';
import { wordsOf, type Said } from '../jobs';
import { bindMany } from './many';
import type { Pairing } from './pairing';

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

/** What became of binding the units of a list. */
export interface BoundOnTheWay {
	/** By the line of the list. */
	readonly outcomes: ReadonlyMap<number, PlacedOutcome>;
	/** Where there are many: the long work that binds them, and how many. */
	readonly work: { readonly id: string; readonly count: number } | null;
}

/**
 * Binds units that were just taken in: to the positions that their list names, to the next open position of
 * the profile that it names, or else by the customer's rules. Each is an act of its own: those that can be
 * bound are, the others say why not and stay claimed; many are long work. A list that names a site alone says
 * where its unit was shipped. The same list again changes nothing. Whoever may bind for the customer may do it.
 */
export async function bindOnTheWay(
	customerId: string,
	{ batchId, rows }: { readonly batchId: string; readonly rows: readonly Row[] },
	actor: Actor
): Promise<BoundOnTheWay> {
	const good = rows.filter(({ verdict }) => verdict === 'claimed' || verdict === 'already-ours');
	const named = good.filter((row): row is PlacedRow => row.place !== null);
	const outcomes = new Map<number, PlacedOutcome>();
	const wanted = named.length > 0 ? await pairNamed(customerId, named, actor, outcomes) : [];
	const byUnit = new Map(wanted.map(({ unitId, line }) => [unitId, line]));
	const lineOf = new Map(
		rows.flatMap(({ verdict, line, unitId }) =>
			verdict === 'claimed' && unitId && !outcomes.has(line) && !byUnit.has(unitId)
				? [[unitId, line] as const]
				: []
		)
	);
	const taken = new Set(wanted.map(({ positionId }) => positionId));
	const ruled =
		lineOf.size > 0
			? await fillings(customerId, [...lineOf.keys()], actor, taken)
			: { proposed: [], ready: [] };
	for (const { unitId, place } of ruled.proposed)
		outcomes.set(lineOf.get(unitId)!, { ok: null, words: `By rule for ${place}, once approved.` });
	const pairings = [...wanted, ...ruled.ready.map((one) => ({ ...one, line: lineOf.get(one.unitId)! }))];
	const title = `Bind ${counted(pairings.length, 'unit')} of a list`;
	const { bound, workId } = await bindMany(customerId, pairings, { title, aboutId: batchId }, actor);
	for (const [index, { pairing, outcome }] of bound.entries())
		outcomes.set(pairings[index]!.line, placed(pairing, outcome));
	return { outcomes, work: workId === null ? null : { id: workId, count: pairings.length } };
}

function placed({ place, byRule }: Pairing, outcome: Act<string | Said> | null): PlacedOutcome {
	if (outcome === null) return { ok: null, words: `Being bound to ${place}${byRule ? ', by rule' : ''}.` };
	if (outcome.ok) return { ok: true, words: wordsOf(outcome.done) };
	return { ok: false, words: `Not bound${byRule ? ` to ${place}` : ''}: ${outcome.problem}` };
}

/** Which position each row's unit goes to; what can be said without binding is an outcome already. */
async function pairNamed(
	customerId: string,
	named: readonly PlacedRow[],
	actor: Actor,
	outcomes: Map<number, PlacedOutcome>
): Promise<(Pairing & { readonly line: number })[]> {
	const found = await findPlaces(customerId, named);
	await noteShipping(customerId, found, actor);
	const takeNext = inTurn(
		await openByProfile(
			customerId,
			named.flatMap(({ place }) => (place.position === null ? (place.profile ?? []) : []))
		),
		new Set(found.flatMap(({ positionId }) => positionId ?? []))
	);
	return named.flatMap(({ line, serial, place }, index) => {
		const there = found[index]!;
		const settled = settledBefore(place, there);
		if (settled !== null) outcomes.set(line, settled);
		// Where it was shipped is noted; where it goes is for rules and people
		if (settled !== null || (place.position === null && place.profile === null)) return [];
		const next = there.positionId
			? { id: there.positionId, words: `${place.position} at ${place.site}` }
			: takeNext(place.profile!, there.siteId);
		if (next !== null)
			return [{ line, serial, unitId: there.unitId!, positionId: next.id, place: next.words, byRule: false }];
		outcomes.set(
			line,
			notBound(`no open position${place.site ? ` at “${place.site}”` : ''} follows “${place.profile}”.`)
		);
		return [];
	});
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
	return (rows as ProfilePlace[]).sort(nearestFirst(timeNow()));
}

/** Gives the first open position of a profile, at a site or anywhere, that was not given and is in no other row's name. */
function inTurn(open: readonly ProfilePlace[], named: ReadonlySet<string>) {
	const given = new Set(named);
	// The next one stands last, where taking it moves no other
	const waiting = group([...open].reverse(), ({ profile }) => profile);
	const waitingAt = group([...open].reverse(), ({ profile, siteId }) => `${siteId} ${profile}`);
	return (profile: string, siteId: string | null): { id: string; words: string } | null => {
		const key = profile.toLowerCase();
		const queue = (siteId === null ? waiting.get(key) : waitingAt.get(`${siteId} ${key}`)) ?? [];
		let place = queue.pop();
		while (place && given.has(place.id)) place = queue.pop();
		if (!place) return null;
		given.add(place.id);
		return { id: place.id, words: `${place.name} at ${place.siteName}` };
	};
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
