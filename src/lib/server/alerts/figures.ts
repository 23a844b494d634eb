import type { Knex } from 'knex';
import { readingsOf, ruleWords, type FigureRule } from '../../../core/alerts';
import { figureWords, FIGURES, readKey, SLOT_MS } from '../../../core/health';
import { database, timeNow } from '../database';
import { endAlerts, quietOf, rulesAbout, type Ruled } from './watching';
import { raise } from './raise';

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
export async function watchFigures(now = new Date(timeNow())): Promise<void> {
	const rules = await rulesAbout('figure');
	if (rules.length === 0) return;
	const turn = (Math.floor(now.getTime() / 60_000) + TURNS - 1) % TURNS;
	const { rows } = await database().raw(
		`with rule as (
			select * from jsonb_to_recordset(:rules::jsonb) as r(id uuid, customer uuid, figure text, above boolean, past real, back real, needed integer)
		), served as (
			select binding.unit_id, binding.customer_id, position.site_id
			from binding join run on run.id = binding.run_id and run.outcome = 'through' join position on position.id = binding.position_id
			where abs(hashtext(binding.unit_id::text)) % :turns = :turn
		), latest as materialized (
			-- step by step: with the rules joined first, each reading would be fetched and opened once for each of them
			select served.*, r.at, r.keys, r.figures from served cross join lateral (
				select at, keys, figures from health_reading r where r.unit_id = served.unit_id
					and r.at > :now::timestamptz - make_interval(mins => 5 * ((select max(needed) from rule) + 1)) order by at desc limit 1
			) r
		), said as materialized (
			select latest.unit_id, latest.customer_id, latest.site_id, latest.at, f.key, split_part(f.key, ':', 1) as figure, f.value
			from latest cross join lateral limen_moment(latest.keys, latest.figures) f
		), candidate as materialized (
			-- only what is past its limit in the last reading, or was told, is looked at further back
			select said.unit_id, said.customer_id, said.site_id, rule.id as rule_id, rule.needed, said.key, said.value as last, alert.id as open_id
			from said join rule on said.figure = rule.figure and (rule.customer is null or rule.customer = said.customer_id)
				and said.at > :now::timestamptz - make_interval(mins => 5 * (rule.needed + 1))
			left join alert on alert.unit_id = said.unit_id and alert.rule_id = rule.id and alert.part = said.key and alert.ended_at is null
			where alert.id is not null or case when above then said.value > past else said.value < past end
		), seen as (
			select candidate.*, further.readings, further.low, further.high from candidate cross join lateral (
				select count(*) as readings, min(value) as low, max(value) as high from (
					select value from health_reading r cross join lateral limen_figure(r.keys, r.figures, candidate.key) value
					where r.unit_id = candidate.unit_id and r.at > :now::timestamptz - make_interval(mins => 5 * (candidate.needed + 1)) and value is not null
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
			select count(*) = ${GONE_READINGS} and bool_and(limen_figure(keys, figures, alert.part) is null) from (
				select keys, figures from health_reading r where r.unit_id = alert.unit_id
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
