import { LAMPS } from '../../src/core/onboarding';
import { answersOf, nextQuestion, QUESTION_IDS, type Answered } from '../../src/core/watch';
import { database } from '../../src/lib/server/database';
import { outlook } from '../../src/lib/server/watch';
import * as profile from '../../src/lib/server/profile';
import { forgetKnowledge, Knowledge } from '../../src/lib/server/watch/knowledge';
import { gatherSites } from '../../src/lib/server/watch/gather';
import { rehearseSources } from '../../src/lib/server/watch/twins';
import { learnAll } from '../../src/lib/server/watch/learn';
import { asOwner, customerWithRuns, median, type Figure } from '../world';

const OPEN_RUNS = 2_000;
const [SMALL, LARGE] = [200_000, 2_000_000];
const MOST_OUTLOOK_MS = 100;
const MOST_GROWTH = 1.2;
const MOST_QUESTION_MS = 20;
const [SITES, PER_SITE] = [40, 3];
const MOST_REHEARSAL = 1.5;
const TIMES = 9;

/** So many steps that ended, over all groups. */
const history = (from: number, to: number) =>
	database().raw(
		`insert into step_time (group_id, customer_id, began_at, seconds, has_ended)
		select g.id, (select id from customer limit 1), now() - make_interval(mins => n / 10), 20 * exp(0.6 * sqrt(-2 * ln(random() + 1e-9)) * cos(6.283 * random())), n % 50 > 0
		from generate_series(?::int, ?::int) n join (select id, row_number() over (order by id) - 1 as at, count(*) over () as groups from step_group) g on g.at = n % groups`,
		[from + 1, to]
	);

/** Forty sites of three positions, rehearsed and rendered by turns, in this thread: what the threads have to do. */
async function rehearsing(): Promise<{ readonly rehearsed: number; readonly rendered: number }> {
	const { rows } = await database().raw(
		`select site_id as id from position where role_id in ('gateway', 'access-point') group by site_id having count(*) = ${PER_SITE} limit ${SITES}`
	);
	const ids = (rows as { id: string }[]).map(({ id }) => id);
	const gathered = await gatherSites(database(), ids, await Knowledge.read());
	const sites = Array.from({ length: SITES }, (_, index) => gathered.sites[index % gathered.sites.length]!);
	const sources = sites.flatMap(({ positions }) => positions.map(({ source }) => source));
	const [rehearsed, rendered]: [number[], number[]] = [[], []];
	for (let turn = 0; turn < TIMES; turn++) {
		rendered.push(await timed(async () => sources.map(profile.renderPosition)));
		rehearsed.push(await timed(async () => rehearseSources(profile, { ...gathered, sites })));
	}
	return { rehearsed: median(rehearsed), rendered: median(rendered) };
}

async function timed(work: () => Promise<unknown>): Promise<number> {
	const start = performance.now();
	await work();
	return performance.now() - start;
}

/** What is asked and looked up while units are on their way, with a year of runs behind it. */
export async function benchWatch(): Promise<Figure[]> {
	await customerWithRuns('Watched', OPEN_RUNS);
	await database().raw(
		`insert into step_group (step, model_id, uplink, from_version, to_version, image_size)
		select step, model.id, uplink, case when step = 'firmware' then version else '' end, case when step = 'firmware' then '7.0.3' else '' end, 0
		from model, unnest(array['calling', 'identity', 'firmware', 'configuration', 'proof']) step, unnest(array['fibre', 'dsl', 'cellular']) uplink,
			unnest(array['6.8.0', '6.8.1', '6.8.2']) version on conflict do nothing`
	);
	// They are at the door: no unit of theirs is
	await asOwner(
		`begin; set local session_replication_role = replica;
		update run set step = 'identity', since = now() - interval '5 seconds', called_at = now() - interval '9 seconds', target_version = '7.0.3',
			group_id = (select id from step_group where step = 'identity' and model_id = 'og-2' and uplink = 'fibre')
		where customer_id = (select id from customer where name = 'Watched'); commit`
	);
	const look = async (): Promise<number> => {
		await learnAll();
		while ((await learnAll()) > 0);
		await asOwner('analyze step_time');
		const took: number[] = [];
		for (let turn = 0; turn < TIMES; turn++) {
			forgetKnowledge();
			took.push(await timed(() => outlook(null)));
		}
		return median(took);
	};
	await history(0, SMALL);
	const small = await look();
	await history(SMALL, LARGE);
	const large = await look();
	const questions: number[] = [];
	for (let seed = 0; seed < 200; seed++) {
		const answers: Answered[] = QUESTION_IDS.slice(0, seed % 4).map((question) => ({
			question,
			answer: answersOf(question, LAMPS)[seed % answersOf(question, LAMPS).length]!
		}));
		const start = performance.now();
		nextQuestion({ seen: 'silent', lamps: LAMPS, ended: {}, answers });
		questions.push(performance.now() - start);
	}
	const question = Math.max(...questions);
	const { rehearsed, rendered } = await rehearsing();
	return [
		{
			name: `When ${OPEN_RUNS} open runs will be through, out of ${SMALL} ended steps`,
			measured: `${small.toFixed(0)} ms`,
			baseline: '',
			result: `${small.toFixed(0)} ms`,
			wanted: `under ${MOST_OUTLOOK_MS} ms`,
			held: small < MOST_OUTLOOK_MS
		},
		{
			name: `The same, out of ${LARGE}`,
			measured: `${large.toFixed(0)} ms`,
			baseline: `${small.toFixed(0)} ms`,
			result: `${(large / small).toFixed(2)} ×`,
			wanted: `at most ${MOST_GROWTH} ×`,
			held: large / small <= MOST_GROWTH
		},
		{
			name: 'Choosing a question, the slowest of 200',
			measured: `${question.toFixed(1)} ms`,
			baseline: '',
			result: `${question.toFixed(1)} ms`,
			wanted: `under ${MOST_QUESTION_MS} ms`,
			held: question < MOST_QUESTION_MS
		},
		{
			name: `Rehearsing ${SITES} sites of ${PER_SITE} positions, beside rendering them`,
			measured: `${rehearsed.toFixed(0)} ms`,
			baseline: `${rendered.toFixed(0)} ms`,
			result: `${(rehearsed / rendered).toFixed(2)} ×`,
			wanted: `at most ${MOST_REHEARSAL} ×`,
			held: rehearsed / rendered <= MOST_REHEARSAL
		}
	];
}
