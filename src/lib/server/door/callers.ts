import { dayOf } from '../../../core/text';
import { whyThere } from '../../../core/onboarding';
import { done, refuse, type Act } from '../act';
import { BOOTSTRAP, database, grouped, timeNow } from '../database';
import { enterInLedger, type Actor } from '../ledger';
import { CHANNEL, notifications, notify } from '../live';

/** Why somebody who called was not served. */
export type CallerReason =
	| 'unknown'
	/** It has a device certificate, so it is what it says; but nobody has claimed it. */
	| 'unclaimed'
	| 'unbound'
	| 'wrong-code'
	/** Its customer wants one, and it came with its claim code alone. */
	| 'no-certificate'
	/** It has ended, was revoked, or names another serial number than it says. */
	| 'bad-certificate'
	| 'held'
	| 'unknown-key';
export interface Call {
	readonly serial: string;
	readonly reason: CallerReason;
	readonly address: string;
	/** Of an unknown key: its algorithm, and the key in base64. */
	readonly hostKey?: string;
}

/** Strangers may call with any number of names: only so many of them are kept, the newest. */
const MOST_CALLERS = 2_000;

/** Notes who was turned away at the door: one row per serial and reason, counted, bounded. */
export const noteCaller = grouped<Call, void>(BOOTSTRAP, async (calls) => {
	const counted = new Map<string, Call & { calls: number }>();
	for (const call of calls) {
		const key = `${call.reason} ${call.serial}`;
		counted.set(key, { ...call, calls: (counted.get(key)?.calls ?? 0) + 1 });
	}
	await database().raw(
		`with noted as (
			insert into caller (serial, reason, address, calls, host_key, customer_id)
			select serial, reason, address, calls, "hostKey", (
				select min(unit.customer_id::text)::uuid from unit where unit.serial = c.serial having count(distinct customer_id) = 1
			)
			from jsonb_to_recordset(?::jsonb) as c(serial text, reason text, address inet, calls bigint, "hostKey" text)
			order by serial, reason
			on conflict (serial, reason) do update
				set calls = caller.calls + excluded.calls, host_key = excluded.host_key, last_at = now(), address = excluded.address, customer_id = excluded.customer_id
		), forgotten as (
			delete from caller where id in (select id from caller order by last_at desc offset ?)
		)
		select pg_notify(?, payload) from unnest(?::text[]) payload`,
		[JSON.stringify([...counted.values()]), MOST_CALLERS, CHANNEL, notifications('callers', [], null)]
	);
	return calls.map(() => undefined);
});

export interface Caller {
	readonly id: string;
	readonly serial: string;
	readonly reason: CallerReason;
	readonly address: string;
	readonly calls: number;
	readonly firstAt: Date;
	readonly lastAt: Date;
	/** The unit of ours it claims to be, if any. */
	readonly unitId: string | null;
	readonly customerId: string | null;
	readonly outOfService: boolean;
	/** Of one that is out of service: since when and why, and what took over from it where. */
	readonly story: string | null;
	/** The position at which it is online and asks for its configuration again; else null. */
	readonly beginsAnewAt: string | null;
	/** Where it most likely belongs, when something speaks for one open position. */
	readonly likely: LikelyPlace | null;
}
export interface LikelyPlace {
	readonly positionId: string;
	readonly positionName: string;
	readonly siteId: string;
	readonly siteName: string;
	readonly why: string;
}

/** The pair that a caller's most likely place would make; null when there is none. */
export const likelyPair = ({ unitId, likely }: Caller) =>
	unitId && likely ? { unitId, positionId: likely.positionId } : null;

/**
 * Who waits at the door now, newest first. Those who were let in since (bound, tried again, code
 * corrected) are not shown any more, nor those who were turned away.
 */
export async function callersAtDoor(customerId: string | null, limit = 50): Promise<Caller[]> {
	const { rows } = await database().raw(
		`select caller.id, caller.serial, reason, host(address) as address, calls::int, first_at as "firstAt",
			last_at as "lastAt", unit.id as "unitId", unit.customer_id as "customerId",
			coalesce(unit.out_of_service_at is not null, false) as "outOfService",
			unit.out_of_service_at as "outSince", unit.out_of_service_why as "outWhy", successor.serial as "successor",
			place.name as "successorPosition", place_site.name as "successorSite",
			case when reason = 'held' and run.outcome = 'through' then binding.position_id end as "beginsAnewAt"
		from caller
		left join unit on unit.serial = caller.serial
		left join binding on binding.unit_id = unit.id
		left join run on run.id = binding.run_id
		left join unit successor on successor.id = unit.replaced_by
		left join binding held on held.unit_id = successor.id
		left join position place on place.id = held.position_id
		left join site place_site on place_site.id = place.site_id
		where caller.turned_away_at is null and (?::uuid is null or unit.customer_id is null or unit.customer_id = ?::uuid)
			and case reason
				when 'unknown' then unit.id is null
				when 'unclaimed' then unit.id is null
				when 'unbound' then unit.id is not null and binding.unit_id is null
				when 'wrong-code' then unit.id is not null and run.outcome is distinct from 'through'
					and caller.last_at > coalesce(run.heard_at, '-infinity')
				when 'no-certificate' then run.outcome is distinct from 'through' and caller.last_at > coalesce(run.heard_at, '-infinity')
				when 'bad-certificate' then caller.last_at > coalesce(run.heard_at, '-infinity')
				when 'held' then run.outcome in ('failed', 'through') and caller.last_at > run.ended_at
				else true
			end
		order by last_at desc limit ?`,
		[customerId, customerId, limit]
	);
	const callers = (rows as (Omit<Caller, 'likely' | 'story'> & Retired)[]).map(
		({ outSince, outWhy, successor, successorPosition, successorSite, ...caller }) => ({
			...caller,
			story: outSince && storyOf({ outSince, outWhy, successor, successorPosition, successorSite })
		})
	);
	const likely = await likelyPlaces(
		callers.flatMap(({ unitId, reason, outOfService }) =>
			unitId !== null && reason === 'unbound' && !outOfService ? [unitId] : []
		)
	);
	return callers.map((caller) => ({ ...caller, likely: likely.get(caller.unitId ?? '') ?? null }));
}

interface Retired {
	readonly outSince: Date | null;
	readonly outWhy: string | null;
	readonly successor: string | null;
	readonly successorPosition: string | null;
	readonly successorSite: string | null;
}
function storyOf({ outSince, outWhy, successor, successorPosition, successorSite }: Retired): string {
	const place = successorPosition ? ` at ${successorPosition}, ${successorSite}` : '';
	return [
		`Out of service since ${dayOf(outSince!)}.`,
		successor ? `${successor} took over${place}.` : '',
		outWhy ? `Why: ${outWhy}` : ''
	]
		.filter(Boolean)
		.join(' ');
}

/** For each unit the open position that most speaks for: where its batch went, then whose appointment is nearest. */
async function likelyPlaces(unitIds: readonly string[]): Promise<ReadonlyMap<string, LikelyPlace>> {
	if (unitIds.length === 0) return new Map();
	const { rows } = await database().raw(
		`select unit.id as "unitId", place.*
		from unit cross join lateral (
			select position.id as "positionId", position.name as "positionName", site.id as "siteId", site.name as "siteName",
				coalesce(went.siblings, 0)::int as siblings, (extract(epoch from appointment_at) * 1000)::float8 as "appointmentAt",
				count(*) over ()::int as open
			from model_role join position on position.role_id = model_role.role_id and position.customer_id = unit.customer_id
			join site on site.id = position.site_id
			left join (
				select p.site_id, count(*) as siblings from unit u join binding on binding.unit_id = u.id
				join position p on p.id = binding.position_id where u.batch_id = unit.batch_id group by 1
			) went on went.site_id = site.id
			where model_role.model_id = unit.model_id and not exists (select from binding where position_id = position.id)
			order by siblings desc, abs(extract(epoch from appointment_at - now())) nulls last, site.name, position.name limit 1
		) place
		where unit.id = any(?::uuid[])`,
		[[...unitIds]]
	);
	const now = timeNow();
	return new Map(
		(
			rows as (LikelyPlace & {
				unitId: string;
				siblings: number;
				appointmentAt: number | null;
				open: number;
			})[]
		).flatMap(({ unitId, siblings, appointmentAt, open, ...place }) => {
			const why = whyThere({ siblings, appointmentAt, only: open === 1 }, now);
			return why === null ? [] : [[unitId, { ...place, why }] as const];
		})
	);
}

/**
 * Turns a caller away: it is not shown any more, however often it calls. It got nothing before and gets
 * nothing now. Whoever may bind for its customer may do it; strangers of nobody's are turned away by
 * administrators.
 */
export const turnAway = (id: string, actor: Actor): Promise<Act> => setTurnedAway(id, true, actor);
/** Lets a caller that was turned away be seen again. */
export const letAsk = (id: string, actor: Actor): Promise<Act> => setTurnedAway(id, false, actor);

async function setTurnedAway(id: string, away: boolean, actor: Actor): Promise<Act> {
	return database().transaction(async (trx) => {
		const caller = await trx('caller').where({ id }).forUpdate().first('serial', 'customer_id');
		if (!caller) return refuse('This caller is not known any more.');
		const { rowCount } = actor.may('bind', caller.customer_id)
			? await trx.raw(
					`update caller set turned_away_at = case when :away then now() end, turned_away_by = case when :away then :name end
					where id = :id and (turned_away_at is null) = :away`,
					{ id, away, name: actor.name }
				)
			: { rowCount: 0 };
		if (rowCount === 0) return refuse('You may not do this, or somebody has just done it.');
		await notify(trx, 'callers', caller.customer_id);
		await enterInLedger(trx, actor, [
			{
				act: away ? 'turn away' : 'let ask again',
				customerId: caller.customer_id,
				subjectKind: 'caller',
				subjectId: id,
				words: `Caller ${caller.serial} ${away ? 'turned away' : 'may ask again'}.`
			}
		]);
		return done(undefined);
	});
}

/** Who was turned away, the last first. */
export const turnedAway = (customerId: string | null, limit = 20): Promise<TurnedAway[]> => {
	const query = database()('caller')
		.whereNotNull('turned_away_at')
		.orderBy('turned_away_at', 'desc')
		.limit(limit)
		.select(
			'id',
			'serial',
			database().raw('calls::int as calls'),
			'turned_away_at as at',
			'turned_away_by as by'
		);
	return customerId ? query.where({ customer_id: customerId }) : query;
};
export interface TurnedAway {
	readonly id: string;
	readonly serial: string;
	readonly calls: number;
	readonly at: Date;
	readonly by: string;
}
