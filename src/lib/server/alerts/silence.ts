import { group } from 'd3';
import { gatheredByTunnels, rootsOf } from '../../../core/alerts';
import { counted } from '../../../core/text';
import { database, timeNow } from '../database';
import { endAlerts, quietOf, rulesAbout } from './watching';
import { raise } from './raise';

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
export async function watchSilence(now = new Date(timeNow())): Promise<void> {
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
