import { CLEAN_UP, database, runAs } from '../database';
import { log } from '../log';

/** What is kept no longer than it is good for: what, why, and how old it has to be. */
interface CleanUp {
	readonly what: string;
	readonly why: string;
	readonly table: string;
	/** In SQL, of a row; an index must lead to those rows: this is looked at every ten minutes. */
	readonly when: string;
	/** Of whatever that column names, no more than the latest so many are kept. */
	readonly latest?: { readonly of: string; readonly most: number };
}

export const CLEAN_UPS: readonly CleanUp[] = [
	{
		what: 'Sessions, 30 days after they ended',
		why: 'Nobody can come in with them; the list of one’s own sessions need not show them for ever.',
		table: 'session',
		when: `least(ends_at, coalesce(revoked_at, ends_at)) < now() - interval '30 days'`
	},
	{
		what: 'Links from letters, 30 days after they ended',
		why: 'They open nothing any more.',
		table: 'ticket',
		when: `ends_at < now() - interval '30 days'`
	},
	{
		what: 'Answers kept for programs that ask twice, after 2 days',
		why: 'A program that asks again does so within minutes.',
		table: 'idempotency',
		when: `at < now() - interval '2 days'`
	},
	{
		what: 'Counts of tries, when their time is over',
		why: 'They count nothing any more.',
		table: 'rate_limit',
		when: `expire < extract(epoch from now()) * 1000`
	},
	{
		what: 'Readings of connectors with what they found, after 30 days',
		why: 'What was taken over stands in the plan and in the ledger; the newest comparison is what is decided on.',
		table: 'connector_run',
		when: `begun_at < now() - interval '30 days'`
	},
	{
		what: 'What releasing a draft would change, 7 days after it was computed',
		why: 'It is true for the draft and the values of that day; it is computed again when it is asked for.',
		table: 'impact',
		when: `touched_at < now() - interval '7 days'`
	},
	{
		what: 'Changes for many that somebody looked at, after 7 days',
		why: 'What they would come to is true for the day; what became part of the plan is there.',
		table: 'small_change',
		when: `touched_at < now() - interval '7 days'`
	},
	{
		what: 'Rollouts that were planned and not begun, after 14 days',
		why: 'What they would do is true for the day of their planning.',
		table: 'rollout',
		when: `state = 'planned' and planned_at < now() - interval '14 days'`
	},
	{
		what: 'Tries of logins, 30 days after them',
		why: 'What is wrong with a login is seen by trying it again.',
		table: 'login_try',
		when: `at < now() - interval '30 days'`
	},
	{
		what: 'Callers that nobody claimed, 30 days after their last call',
		why: 'What stands at the door is what calls; who calls again is noted again.',
		table: 'caller',
		when: `last_at < now() - interval '30 days' and turned_away_at is null`
	},
	{
		what: 'Proofs of sites, after 90 days, but the last of each',
		why: 'Sites are proven every day; what was handed over is kept with its handover.',
		table: 'site_proof',
		when: `ended_at < now() - interval '90 days' and exists (select from site_proof later where later.site_id = site_proof.site_id and later.begun_at > site_proof.begun_at)`
	},
	{
		what: 'Which sites were in whose letter of the evening before, after 30 days',
		why: 'It keeps a site from being told twice.',
		table: 'letter_evening',
		when: `day < now() - interval '30 days'`
	},
	{
		what: 'What units said, after 90 days, and but the latest 5,000 of each',
		why: 'It explains what happened lately; a unit that says much must not fill the disk.',
		table: 'event',
		when: `at < now() - interval '90 days'`,
		latest: { of: 'unit_id', most: 5_000 }
	},
	{
		what: 'Alerts, two years after they ended',
		why: 'What became of each stays in the ledger.',
		table: 'alert',
		when: `ended_at < now() - interval '2 years'`
	},
	{
		what: 'Changes of paths between sites, after 90 days',
		why: 'They explain what happened lately.',
		table: 'path_change',
		when: `at < now() - interval '90 days'`
	},
	{
		what: 'Whom a place reaches, 7 days after it was looked at last',
		why: 'The plan has no path between these two any more, or one of them is away for good.',
		table: 'reachability',
		when: `looked_at < now() - interval '7 days'`
	},
	{
		what: 'What was said to units, after 90 days',
		why: 'It explains what happened lately; what came of it stays in the unit’s story.',
		table: 'dialogue',
		when: `at < now() - interval '90 days'`
	},
	{
		what: 'What was read from units, after 90 days',
		why: 'It goes with what was said.',
		table: 'reading',
		when: `at < now() - interval '90 days'`
	},
	{
		what: 'Each time that a unit was held against what it should run, after two years',
		why: 'An auditor asks for a year.',
		table: 'drift_look',
		when: `at < now() - interval '2 years' and not exists (select from unit_drift where look_id = drift_look.id)`
	},
	{
		what: 'What was made the intention, two years after it was, but the last at each place',
		why: 'What a unit should run is the last of it.',
		table: 'intention',
		when: `at < now() - interval '2 years' and exists (select from intention later where later.position_id = intention.position_id and later.unit_id = intention.unit_id and later.at > intention.at)`
	},
	{
		what: 'Findings, a year after they ended',
		why: 'They tell what drifts most.',
		table: 'finding',
		when: `ended_at < now() - interval '1 year'`
	},
	{
		what: 'Errands, 90 days after they ended; those that asked whom a unit reaches or how it does, after an hour',
		why: 'They go with what was said; of those that there are many of, what they found is kept.',
		table: 'errand',
		when: `ended_at < now() - interval '90 days' or (kind in ('across', 'health') and ended_at < now() - interval '1 hour')`
	},
	{
		what: 'Losses of connections and returns, after 90 days',
		why: 'A line that comes and goes would fill a unit’s story.',
		table: 'run_event',
		when: `kind in ('lost', 'back') and at < now() - interval '90 days'`
	},
	{
		what: 'When units were away, after three years',
		why: 'It is told for how much of a period they were there.',
		table: 'absence',
		when: `to_at < now() - interval '3 years'`
	},
	{
		what: 'How long steps took, after two years',
		why: 'What is normal is learnt from the latest runs.',
		table: 'step_time',
		when: `began_at < now() - interval '2 years'`
	},
	{
		what: 'Processes of Limen, 7 days after they ended',
		why: 'Nothing is held by them any more.',
		table: 'process',
		when: `ended_at < now() - interval '7 days' and not exists (select from unit_connection c where c.process_id = process.id)`
	},
	{
		what: 'Long work, 90 days after it ended',
		why: 'What it did stands in the records.',
		table: 'long_work',
		when: `ended_at < now() - interval '90 days'`
	},
	{
		what: 'How many units a cohort had on a day, after two years',
		why: 'How it shrinks is told from the last weeks, and shown for a year.',
		table: 'cohort_size',
		when: `day < current_date - interval '2 years'`
	},
	{
		what: 'How many units were behind on a day, after two years',
		why: 'It is shown for a year.',
		table: 'behind_on_day',
		when: `day < current_date - interval '2 years'`
	},
	{
		what: 'What webhooks told, after 30 days, and but the latest 10,000 of each',
		why: 'Who was not told by then is not told any more, and reads it from the API.',
		table: 'webhook_delivery',
		when: `at < now() - interval '30 days'`,
		latest: { of: 'webhook_id', most: 10_000 }
	},
	{
		what: 'Letters, 30 days after they were sent, but those with reports',
		why: 'Their words are gone already; that they were sent is of no use any more. To whom a report went is told with it.',
		table: 'mail',
		when: `sent_at < now() - interval '30 days' and report_id is null`
	},
	{
		what: 'Reports with their letters, after their customer’s term; those that were made and sent to nobody after 90 days',
		why: 'They are kept as long as what they tell of.',
		table: 'report',
		when: `keep_until < current_date`
	}
];

/** So many rows at a time: nobody waits for long locks. */
const AT_ONCE = 2_000;

/** In SQL: rows beyond the latest of each. It goes from one to the next by the index over both, and reads no row that stays. */
const beyondLatest = (table: string, { of, most }: NonNullable<CleanUp['latest']>): string =>
	`with recursive each(one) as (
		(select ${of} from ${table} order by ${of} limit 1)
		union all select (select ${of} from ${table} where ${of} > each.one order by ${of} limit 1) from each where each.one is not null
	) select old.ctid from each
	cross join lateral (select id from ${table} t where t.${of} = each.one order by id desc offset ${most} limit 1) last
	join ${table} old on old.${of} = each.one and old.id <= last.id limit ${AT_ONCE}`;

async function remove(table: string, rows: string): Promise<number> {
	let removed = 0;
	for (let gone = AT_ONCE; gone === AT_ONCE; removed += gone)
		gone = (await database().raw(`delete from ${table} where ctid = any (array(${rows}))`)).rowCount;
	return removed;
}

/** Removes what is due. Returns how many rows of each went. */
export async function cleanUp(): Promise<Readonly<Record<string, number>>> {
	const removed: Record<string, number> = {};
	await runAs(CLEAN_UP, async () => {
		for (const { table, when, latest } of CLEAN_UPS) {
			removed[table] = await remove(table, `select ctid from ${table} where ${when} limit ${AT_ONCE}`);
			if (latest) removed[table] += await remove(table, beyondLatest(table, latest));
		}
	});
	const some = Object.fromEntries(Object.entries(removed).filter(([, count]) => count > 0));
	if (Object.keys(some).length > 0) log.info({ removed: some }, 'cleaned up');
	return removed;
}
