import { group } from 'd3';
import type { Knex } from 'knex';
import {
	gatheredByTunnels,
	readingsOf,
	rootsOf,
	ruleWords,
	type AlertRule,
	type FigureRule
} from '../../../core/alerts';
import { figureWords, FIGURES, readKey, SLOT_MS } from '../../../core/health';
import { counted } from '../../../core/text';
import { isOpenAt } from '../../../core/windows';
import { database } from '../database';
import { notify } from '../live';
import { windowsAt } from '../windows';
import { raise } from './raise';

/** Of those rules that are on. */
export interface Ruled<Rule extends AlertRule> {
	readonly id: string;
	readonly customerId: string | null;
	readonly name: string;
	readonly rule: Rule;
}

export async function rulesAbout<About extends AlertRule['about']>(
	about: About
): Promise<readonly Ruled<Extract<AlertRule, { about: About }>>[]> {
	return database()('alert_rule')
		.where({ is_on: true })
		.whereRaw(`rule->>'about' = ?`, [about])
		.select('id', 'customer_id as customerId', 'name', 'rule');
}

interface Judged {
	readonly unitId: string;
	readonly customerId: string;
	readonly siteId: string;
	readonly ruleId: string;
	readonly key: string;
	readonly last: number;
	readonly fires: boolean;
	readonly isBack: boolean;
	readonly openId: string | null;
}

const TURNS = SLOT_MS / 60_000;

/**
 * Holds figures against their limits: of those units that were read in the minute before, so that a fleet is spread over
 * the stretch. What begins is told unless something is being done at the unit; what is back ends. Runs as BOOTSTRAP.
 */
export async function watchFigures(now = new Date()): Promise<void> {
	const rules = await rulesAbout('figure');
	if (rules.length === 0) return;
	const turn = (Math.floor(now.getTime() / 60_000) + TURNS - 1) % TURNS;
	const { rows } = await database().raw(
		`with rule as (
			select * from jsonb_to_recordset(:rules::jsonb) as r(id uuid, customer uuid, figure text, above boolean, past float8, back float8, needed integer)
		), served as (
			select binding.unit_id, binding.customer_id, position.site_id
			from binding join run on run.id = binding.run_id and run.outcome = 'through' join position on position.id = binding.position_id
			where abs(hashtext(binding.unit_id::text)) % :turns = :turn
		), candidate as (
			-- only what is past its limit in the last reading, or was told, is looked at further back
			select served.unit_id, served.customer_id, served.site_id, rule.id as rule_id, rule.needed, f.key, f.value::float8 as last, alert.id as open_id
			from served cross join lateral (
				select at, figures from health_reading r where r.unit_id = served.unit_id
					and r.at > :now::timestamptz - make_interval(mins => 5 * ((select max(needed) from rule) + 1)) order by at desc limit 1
			) r cross join lateral jsonb_each(r.figures) f
			join rule on (rule.customer is null or rule.customer = served.customer_id) and split_part(f.key, ':', 1) = rule.figure
				and r.at > :now::timestamptz - make_interval(mins => 5 * (rule.needed + 1))
			left join alert on alert.unit_id = served.unit_id and alert.rule_id = rule.id and alert.part = f.key and alert.ended_at is null
			where alert.id is not null or case when above then f.value::float8 > past else f.value::float8 < past end
		), seen as (
			select candidate.*, further.readings, further.low, further.high from candidate cross join lateral (
				select count(*) as readings, min(value) as low, max(value) as high from (
					select (r.figures ->> candidate.key)::float8 as value from health_reading r where r.unit_id = candidate.unit_id
						and r.at > :now::timestamptz - make_interval(mins => 5 * (candidate.needed + 1)) and r.figures ->> candidate.key is not null
					order by at desc limit candidate.needed
				) lately
			) further
		)
		select * from (
			select seen.unit_id as "unitId", seen.customer_id as "customerId", seen.site_id as "siteId", rule_id as "ruleId", key, last,
				readings >= seen.needed and case when above then low > past else high < past end as fires,
				case when above then last <= back else last >= back end as "isBack",
				open_id as "openId"
			from seen join rule on rule.id = seen.rule_id
		) j where fires or "openId" is not null`,
		{
			now,
			turns: TURNS,
			turn,
			rules: JSON.stringify(
				rules.map(({ id, customerId, rule }) => ({
					id,
					customer: customerId,
					figure: rule.figure,
					above: rule.side === 'above',
					past: rule.limit,
					back: rule.back,
					needed: readingsOf(rule)
				}))
			)
		}
	);
	const judged = rows as Judged[];
	const byId = new Map(rules.map((one) => [one.id, one]));
	const ended = judged.filter(({ openId, isBack }) => openId !== null && isBack);
	const begun = judged.filter(({ openId, fires }) => openId === null && fires);
	const quiet = await quietOf(
		database(),
		begun.map(({ unitId, siteId }) => ({ unitId, siteId })),
		now
	);
	await database().transaction(async (trx) => {
		for (const one of begun.filter(({ unitId }) => !quiet.has(unitId)))
			await raise(trx, {
				unitId: one.unitId,
				customerId: one.customerId,
				kind: 'figure',
				isSame: true,
				ruleId: one.ruleId,
				part: one.key,
				words: figureSaid(byId.get(one.ruleId)!, one)
			});
		await endAlerts(trx, [...ended.map(({ openId }) => openId!), ...(await ofWhatIsGone(trx, turn, now))]);
	});
}

/** So many readings on end without a figure, and what it was of is there no more. */
const GONE_READINGS = 3;
/** Alerts about what units do not tell of any more: a port that was taken out, a tunnel that was planned away. */
async function ofWhatIsGone(trx: Knex, turn: number, now: Date): Promise<string[]> {
	const { rows } = await trx.raw(
		`select alert.id from alert where kind = 'figure' and ended_at is null and abs(hashtext(unit_id::text)) % :turns = :turn and (
			select count(*) = ${GONE_READINGS} and bool_and(figures -> alert.part is null) from (
				select figures from health_reading r where r.unit_id = alert.unit_id
					and r.at > :now::timestamptz - make_interval(mins => ${2 * GONE_READINGS * 5}) order by at desc limit ${GONE_READINGS}
			) lately
		)`,
		{ turns: TURNS, turn, now }
	);
	return (rows as { id: string }[]).map(({ id }) => id);
}

function figureSaid({ name, rule }: Ruled<FigureRule>, { key, last }: Judged): string {
	const part = readKey(key)?.part;
	return `${name}: ${part ? `${part}, ` : ''}${FIGURES[rule.figure].words} is ${figureWords(rule.figure, last)}; told when ${ruleWords(rule)}.`;
}

/** Those that are over, in the transaction that finds them so. */
export async function endAlerts(trx: Knex, ids: readonly string[]): Promise<void> {
	if (ids.length === 0) return;
	const rows: { unit_id: string; customer_id: string }[] = await trx('alert')
		.whereIn('id', [...ids])
		.whereNull('ended_at')
		.update({ ended_at: trx.fn.now() })
		.returning(['unit_id', 'customer_id']);
	for (const { unit_id, customer_id } of rows) await notify(trx, 'alerts', customer_id, [unit_id]);
}

interface UnitPlace {
	readonly unitId: string;
	readonly siteId: string;
}
/**
 * Units of which nothing is told just now: Limen is sending, flashing or restarting them, or was a moment ago, or their
 * site's window for disruptive acts is open.
 */
export async function quietOf(
	knex: Knex,
	units: readonly UnitPlace[],
	now: Date
): Promise<ReadonlySet<string>> {
	if (units.length === 0) return new Set();
	const windows = await windowsAt(
		knex,
		units.map(({ siteId }) => siteId)
	);
	const { rows } = await knex.raw(
		`select distinct unit_id as "unitId" from errand where unit_id = any (:units::uuid[]) and kind in ('send', 'settle', 'flash', 'restart')
			and begun_at is not null and coalesce(ended_at, now()) > now() - interval '10 minutes'`,
		{ units: units.map(({ unitId }) => unitId) }
	);
	const busy = new Set((rows as { unitId: string }[]).map(({ unitId }) => unitId));
	return new Set(
		units.flatMap(({ unitId, siteId }) => {
			const window = windows.get(siteId);
			const isOpen = window !== undefined && window.hours !== null && isOpenAt(window, now.getTime());
			return busy.has(unitId) || isOpen ? [unitId] : [];
		})
	);
}

interface Away {
	readonly unitId: string;
	readonly customerId: string;
	readonly siteId: string;
	readonly positionId: string;
	readonly positionName: string;
	readonly siteName: string;
	readonly isFront: boolean;
	readonly isAway: boolean;
	/** Since when it is, in milliseconds. */
	readonly since: number;
	readonly ruleId: string | null;
}

/**
 * Tells of units that are not heard for as long as their rule says: of a site one alert for each cause, not for each unit.
 * It goes on while its unit is away; those that are away because of it come and go with it. Runs as BOOTSTRAP.
 */
export async function watchSilence(now = new Date()): Promise<void> {
	const rules = await rulesAbout('not heard');
	await database().transaction(async (trx) => {
		const { rows } = await trx.raw(
			`with rule as (
				select * from jsonb_to_recordset(:rules::jsonb) as r(id uuid, customer uuid, minutes float8)
			), away as (
				select binding.unit_id, binding.customer_id, position.site_id, position.id as position_id,
					extract(epoch from coalesce(held.ended_at, run.ended_at))::float8 * 1000 as since,
					(select rule.id from rule where (rule.customer is null or rule.customer = binding.customer_id)
						and coalesce(held.ended_at, run.ended_at) < :now::timestamptz - make_interval(secs => rule.minutes * 60)
						order by rule.customer nulls last, rule.minutes limit 1) as rule_id
				from binding join run on run.id = binding.run_id and run.outcome = 'through'
				join position on position.id = binding.position_id
				left join unit_connection held on held.unit_id = binding.unit_id
				where held.unit_id is null or held.ended_at is not null
			)
			select binding.unit_id as "unitId", binding.customer_id as "customerId", site.id as "siteId", site.name as "siteName",
				position.id as "positionId", position.name as "positionName", position.role_id in ('router', 'gateway') as "isFront",
				away.rule_id is not null as "isAway", coalesce(away.since, 0) as since, away.rule_id as "ruleId"
			from site join position on position.site_id = site.id join binding on binding.position_id = position.id
			join run on run.id = binding.run_id and run.outcome = 'through' left join away on away.unit_id = binding.unit_id
			where site.id in (select site_id from away where rule_id is not null) order by site.id, position.name`,
			{
				now,
				rules: JSON.stringify(
					rules.map(({ id, customerId, rule }) => ({ id, customer: customerId, minutes: rule.minutes }))
				)
			}
		);
		const units = rows as Away[];
		const sites = group(units, ({ siteId }) => siteId);
		const cables: { siteId: string; near: string; far: string }[] = await trx('cable')
			.whereIn('site_id', [...sites.keys()])
			.whereNotNull('far_position')
			.select('site_id as siteId', 'near_position as near', 'far_position as far');
		const cablesAt = group(cables, ({ siteId }) => siteId);
		const open: { id: string; unit_id: string }[] = await trx('alert')
			.where({ kind: 'not heard', ended_at: null })
			.select('id', 'unit_id');
		const quiet = await quietOf(
			trx,
			units.filter(({ isAway }) => isAway),
			now
		);
		const byPosition = new Map(units.map((unit) => [unit.positionId, unit]));
		const away = [...sites].flatMap(([siteId, at]) =>
			rootsOf(
				at.map(({ positionId, isFront, isAway }) => ({ id: positionId, isFront, isAway })),
				(cablesAt.get(siteId) ?? []).map(({ near, far }) => [near, far] as const)
			).map((root) => ({ ...root, since: byPosition.get(root.id)!.since }))
		);
		const tunnels: { near: string; far: string }[] = await trx('tunnel')
			.whereIn(
				'near_position',
				away.map(({ id }) => id)
			)
			.select('near_position as near', 'far_position as far');
		const roots = new Set<string>();
		for (const { id, because } of gatheredByTunnels(
			away,
			tunnels.map(({ near, far }) => [near, far] as const)
		)) {
			const unit = byPosition.get(id)!;
			roots.add(unit.unitId);
			if (quiet.has(unit.unitId) && !open.some(({ unit_id }) => unit_id === unit.unitId)) continue;
			const others = because.map((one) => byPosition.get(one)!);
			await raise(trx, {
				unitId: unit.unitId,
				customerId: unit.customerId,
				kind: 'not heard',
				isSame: true,
				ruleId: unit.ruleId,
				withUnits: others.map(({ unitId }) => unitId),
				words: silenceSaid(unit, others, sites.get(unit.siteId)!.length)
			});
		}
		await endAlerts(
			trx,
			open.flatMap(({ id, unit_id }) => (roots.has(unit_id) ? [] : [id]))
		);
	});
}

/** `others`: those that are away because of it; `all`: how many units are at its own site. */
function silenceSaid(
	{ siteId, siteName, positionName, isFront }: Away,
	others: readonly Away[],
	all: number
): string {
	const here = others.filter((other) => other.siteId === siteId).length;
	const elsewhere = new Set(others.flatMap((other) => (other.siteId === siteId ? [] : [other.siteId]))).size;
	const at =
		here === 0
			? `${positionName} at ${siteName} is not heard.`
			: isFront && here + 1 === all
				? `Nobody at ${siteName} is heard: its way out, or its power, is down. It begins at ${positionName}; ${counted(here, 'other unit')} with it.`
				: `${positionName} at ${siteName} is not heard, and with it ${counted(here, 'other unit')} that ${here === 1 ? 'hangs' : 'hang'} on it.`;
	return elsewhere === 0
		? at
		: `${at} Nor ${elsewhere === 1 ? 'is' : 'are'} ${counted(elsewhere, 'site')} whose tunnels end there.`;
}
