import { group } from 'd3';
import type { Knex } from 'knex';
import { setTimeout as sleep } from 'node:timers/promises';
import {
	chassisKey,
	isAllowed,
	MOST_ADDRESSES,
	onwardFrom,
	rangesOf,
	type Heard
} from '../../../core/survey';
import { BOOTSTRAP, database, runAs } from '../database';
import { onBeat, takeTurns, thisProcess, type Turns } from '../jobs';
import { notify } from '../live';
import { log } from '../log';
import { beginWhatIsDue, leaveTheRest } from './keep';
import { probe, type Probed } from './probe';

/** A process asks so many addresses at once, of all surveys together. */
const AT_ONCE = 50;
/** While nothing ends, it is looked so often whether more may be begun with. */
const LOOK_MS = 200;
const GATHER_MS = 40;
/** Whoever watches is told so often. */
const TELL_MS = 700;

interface Claimed {
	readonly runId: string;
	readonly surveyId: string;
	readonly customerId: string;
	readonly address: string;
	readonly depth: number;
	readonly hint: string;
	readonly attempts: number;
	readonly ranges: readonly string[];
	readonly deepest: number;
}

/**
 * Goes on with all surveys that are under way: breadth-first, so that each address is come to over the fewest steps, and the
 * next step is begun when the one before is done. An address is claimed with this process and the number of its attempts; what a
 * process had that has ended is asked again, and what one says that was taken for dead does not count.
 */
export function startSurveys(): Turns {
	onBeat(beginWhatIsDue);
	return takeTurns('surveys', 'survey-asked', goOn);
}

async function goOn(isStopping: () => boolean): Promise<void> {
	const asking = new Set<Promise<void>>();
	const told = new Map<string, number>();
	for (;;) {
		if (isStopping()) return letGo();
		const runs: { id: string }[] = await database()('survey_run')
			.where({ state: 'under way' })
			.orderBy('begun_at')
			.select('id');
		if (runs.length === 0 && asking.size === 0) return;
		for (const { id } of runs)
			for (const one of await claim(id, AT_ONCE - asking.size)) {
				const work: Promise<void> = runAs(BOOTSTRAP, () => ask(one, told))
					.catch((error: Error) => (isStopping() ? undefined : giveBack(one, error)))
					.finally(() => asking.delete(work));
				asking.add(work);
			}
		if (asking.size === 0 && !(await isWaitedFor(runs))) return;
		await Promise.race([...asking, sleep(LOOK_MS)]);
		// What ends at nearly the same moment is followed by one claim
		await sleep(GATHER_MS);
	}
}

/** What this process was at waits for another, or for its next life. */
const letGo = (): Promise<void> =>
	database()('survey_address')
		.where({ process_id: thisProcess(), state: 'under way' })
		.update({ state: 'waiting', process_id: null })
		.then(() => undefined);

const MOST_ATTEMPTS = 3;
/** What could not be asked for a fault of Limen's own is tried again, and then given up with words. */
async function giveBack({ runId, address, attempts }: Claimed, error: Error): Promise<void> {
	log.error({ address, error: error.stack }, 'an address of a survey could not be asked');
	const isLast = attempts >= MOST_ATTEMPTS;
	await runAs(BOOTSTRAP, () =>
		database()('survey_address')
			.where({ run_id: runId, address, state: 'under way', attempts })
			.update({
				state: isLast ? 'done' : 'waiting',
				process_id: null,
				...(isLast && {
					outcome: 'broke off',
					words: 'Limen could not ask it. The log of Limen says more.',
					at: database().fn.now()
				})
			})
	).catch((again: Error) => log.error({ address, error: again.message }, 'it could not be given back'));
}

/** Whether something waits that this process may begin with in a moment. */
async function isWaitedFor(runs: readonly { readonly id: string }[]): Promise<boolean> {
	const waiting = await database()('survey_address')
		.whereIn(
			'run_id',
			runs.map(({ id }) => id)
		)
		.where({ state: 'waiting' })
		.first('run_id');
	return waiting !== undefined;
}

/** Claims addresses of a run, as many as its bounds allow; ends it where nothing is left. */
async function claim(runId: string, most: number): Promise<readonly Claimed[]> {
	if (most <= 0) return [];
	return database().transaction(async (trx) => {
		const { rows } = await trx.raw(
			`select r.id, r.survey_id, r.customer_id, s.at_once, s.per_second, s.deepest, s.ranges::text[] as ranges, now() >= r.ends_at as is_over,
				least(s.per_second, r.pace + s.per_second * extract(epoch from now() - r.paced_at))::float8 as pace,
				(select count(*)::int from survey_address a join process p on p.id = a.process_id and p.ended_at is null
					where a.run_id = r.id and a.state = 'under way') as busy
			from survey_run r join survey s on s.id = r.survey_id where r.id = ? and r.state = 'under way' for update of r skip locked`,
			[runId]
		);
		const run = rows[0];
		if (!run) return [];
		if (run.is_over) {
			await endRun(trx, run, 'out of time', 'The time for the survey was over before.');
			return [];
		}
		const free = Math.min(most, run.at_once - run.busy, Math.floor(run.pace));
		if (free <= 0) return [];
		const claimed = await trx.raw(
			`with level as (
				select min(depth) as depth from survey_address where run_id = :runId and state <> 'done'
			), next as (
				select a.address from survey_address a, level where a.run_id = :runId and a.depth = level.depth
					and (a.state = 'waiting' or (a.state = 'under way' and (a.process_id is null
						or exists (select from process p where p.id = a.process_id and p.ended_at is not null))))
				order by a.ordinal limit :free for update of a skip locked
			)
			update survey_address a set state = 'under way', process_id = :process, attempts = attempts + 1
			from next where a.run_id = :runId and a.address = next.address
			returning host(a.address) as address, a.depth, a.hint, a.attempts`,
			{ runId, free, process: thisProcess() }
		);
		const found = claimed.rows as Pick<Claimed, 'address' | 'depth' | 'hint' | 'attempts'>[];
		await trx('survey_run')
			.where({ id: runId })
			.update({ pace: run.pace - found.length, paced_at: trx.fn.now() });
		if (found.length === 0 && run.busy === 0) await endOrGoOn(trx, run);
		return found.map((one) => ({
			...one,
			runId,
			surveyId: run.survey_id,
			customerId: run.customer_id,
			ranges: run.ranges,
			deepest: run.deepest
		}));
	});
}

interface Run {
	readonly id: string;
	readonly survey_id: string;
	readonly customer_id: string;
	readonly ranges: readonly string[];
	readonly deepest: number;
}

/** Nothing is left at this step: whoever was heard without an address may have one in somebody's address table. */
async function endOrGoOn(trx: Knex, run: Run): Promise<void> {
	const rows: { depth: number; heard: Heard[] }[] = await trx('survey_address')
		.where({ run_id: run.id })
		.whereRaw(`heard <> '[]'`)
		.select('depth', 'heard');
	const silent = rows.flatMap(({ depth, heard }) =>
		heard.filter(({ address }) => address === '').map((row) => ({ depth, row }))
	);
	const stations: { mac: string; address: string }[] =
		silent.length === 0
			? []
			: await trx('survey_station')
					.where({ run_id: run.id })
					.whereNotNull('address')
					.distinct('mac', trx.raw('host(address) as address'));
	const addressOf = new Map(stations.map(({ mac, address }) => [chassisKey(mac), address]));
	let more = 0;
	if (addressOf.size > 0)
		for (const [depth, those] of group(silent, (one) => one.depth))
			more += await goOnFrom(
				trx,
				run,
				depth,
				those.map(({ row }) => row),
				addressOf
			);
	if (more === 0) await endRun(trx, run, 'done', '');
}

async function endRun(trx: Knex, run: Run, state: 'done' | 'out of time', words: string): Promise<void> {
	await trx('survey_run').where({ id: run.id }).update({ state, ended_at: trx.fn.now() });
	await leaveTheRest(trx, run.id, words);
	await notify(trx, 'surveys', run.customer_id, [run.survey_id]);
}

/** Notes the addresses of those that were heard; resolves with how many of them are to be asked that were not known. */
async function goOnFrom(
	trx: Knex,
	{ id, customer_id, ranges, deepest }: Omit<Run, 'survey_id'>,
	depth: number,
	heard: readonly Heard[],
	addressOf: ReadonlyMap<string, string>
): Promise<number> {
	const { go, outside, tooFar } = onwardFrom(heard, (chassis) => addressOf.get(chassisKey(chassis)), {
		ranges: rangesOf(ranges),
		depth,
		deepest
	});
	const hintOf = new Map(
		heard.map(({ address, chassis, description }) => [
			address || addressOf.get(chassisKey(chassis)),
			description
		])
	);
	const macOf = new Map(
		heard.flatMap(({ address, chassis }) => {
			const found = address === '' ? addressOf.get(chassisKey(chassis)) : undefined;
			return found === undefined ? [] : [[found, chassisKey(chassis)] as const];
		})
	);
	const rows = [
		...go.map((address) => ({ address, state: 'waiting', outcome: null, words: '' })),
		...outside.map((address) => ({
			address,
			state: 'done',
			outcome: 'outside',
			words: 'It lies in none of the ranges that may be touched.'
		})),
		...tooFar.map((address) => ({
			address,
			state: 'done',
			outcome: 'not come to',
			words: `It is more than ${deepest} steps from where the survey began.`
		}))
	].map((row) => ({
		...row,
		hint: hintOf.get(row.address) ?? '',
		mac: macOf.get(row.address) ?? null
	}));
	if (rows.length === 0) return 0;
	const { rows: added } = await trx.raw(
		`insert into survey_address (run_id, customer_id, address, depth, state, outcome, words, hint, table_mac, at)
		select :id, :customer_id, n.address, :depth, n.state, n.outcome, n.words, n.hint, n.mac, case when n.state = 'done' then now() end
		from jsonb_to_recordset(:rows::jsonb) as n(address inet, state text, outcome text, words text, hint text, mac macaddr)
		where (select count(*) from survey_address where run_id = :id) < ${MOST_ADDRESSES}
		on conflict do nothing returning state`,
		{ id, customer_id, depth: depth + 1, rows: JSON.stringify(rows) }
	);
	return (added as { state: string }[]).filter(({ state }) => state === 'waiting').length;
}

async function ask(one: Claimed, told: Map<string, number>): Promise<void> {
	// Whatever brought it here: nothing else is ever touched
	if (!isAllowed(one.address, rangesOf(one.ranges)))
		throw new Error(`${one.address} lies outside of its survey.`);
	const probed = await probe(one);
	await database().transaction(async (trx) => {
		const noted = await note(trx, one, probed);
		if (!noted) return;
		if (probed.stations.length > 0)
			await trx.raw(
				`insert into survey_station (run_id, customer_id, at_address, mac, port, address)
				select :runId, :customerId, :address, s.mac, s.port, s.address
				from jsonb_to_recordset(:stations::jsonb) as s(mac macaddr, port text, address inet)`,
				{
					runId: one.runId,
					customerId: one.customerId,
					address: one.address,
					stations: JSON.stringify(probed.stations)
				}
			);
		const run = { id: one.runId, customer_id: one.customerId, ranges: one.ranges, deepest: one.deepest };
		await goOnFrom(trx, run, one.depth, probed.heard, new Map());
		if (performance.now() - (told.get(one.runId) ?? -Infinity) > TELL_MS) {
			told.set(one.runId, performance.now());
			await notify(trx, 'surveys', one.customerId, [one.surveyId]);
		}
	});
}

/** Whether it still counted. */
async function note(trx: Knex, one: Claimed, probed: Probed): Promise<boolean> {
	const count = await trx('survey_address')
		.where({ run_id: one.runId, address: one.address, state: 'under way', attempts: one.attempts })
		.update({
			state: 'done',
			process_id: null,
			at: trx.fn.now(),
			outcome: probed.outcome,
			words: probed.words.slice(0, 1000),
			login_id: probed.loginId,
			port: probed.port,
			host_key: probed.hostKey,
			maker_id: probed.maker,
			model_id: probed.model,
			serial: probed.serial,
			version: probed.version,
			name: probed.name,
			mac: probed.mac,
			heard: JSON.stringify(probed.heard),
			speeds: JSON.stringify(probed.speeds)
		});
	return count > 0;
}
