import { once } from 'node:events';
import { writeFileSync } from 'node:fs';
import { startApplication } from '../../command/limen';
import { currentSettings } from '../../src/lib/server/settings';
import { asOwner, type Figure } from '../world';
import { makeProvider } from './make';
import { anyWay, viewAll, type Viewed, type Ways } from './pages';
import { OF_THE_DEMO, scaled, WHOLE } from './size';

/** How much of a whole provider is made; all of it takes some twenty minutes and 30 GB. */
const SHARE = Number(process.env.LIMEN_BENCH_SHARE ?? 0.05);
const MOST_TIMES = 2;
const MOST_MS = 1_000;
/** What takes less is not told apart from what the machine does meanwhile. */
const LEAST_MS = 25;
const MOST_MINUTES = 20;
const MOST_BYTES = 40e9;
const REPORT = 'docs/size.md';

interface Statement {
	readonly query: string;
	readonly milliseconds: number;
	/** Of 8 KiB, read for one call. */
	readonly blocks: number;
}

/**
 * Each page and each list's filter of a provider of full size, beside the same page of one that is as large as the demo, in one
 * run; and how many blocks each statement reads in both.
 */
export async function benchProvider(): Promise<Figure[]> {
	await asOwner('create extension if not exists pg_stat_statements');
	const ways = await anyWay();
	await makeProvider('Small', OF_THE_DEMO);
	const small = await viewed('Small', ways);
	const size = scaled(WHOLE, SHARE);
	const begun = performance.now();
	const parts: string[] = [];
	await makeProvider('Large', size, (part, seconds) => parts.push(`${part} ${seconds.toFixed(0)} s`));
	const minutes = (performance.now() - begun) / 60_000;
	const bytes = Number((await asOwner('select pg_database_size(current_database()) as size')).rows[0].size);
	const large = await viewed('Large', ways);
	const pairs = large.pages.map((page, at) => ({ page, before: small.pages[at]! }));
	const slowest = pairs.reduce((a, b) => (a.page.milliseconds > b.page.milliseconds ? a : b));
	const most = pairs.reduce((a, b) => (growth(a) > growth(b) ? a : b));
	const words = `${size.customers} customers, ${size.sites} sites, ${size.units} units`;
	writeFileSync(REPORT, report(words, pairs, small.statements, large.statements));
	return [
		{
			name: `A provider of ${words} with a year of history, made`,
			measured: `${minutes.toFixed(1)} minutes (${parts.join(', ')}), ${(bytes / 1e9).toFixed(1)} GB`,
			baseline: '',
			result: `${minutes.toFixed(1)} minutes`,
			wanted: `at most ${MOST_MINUTES} minutes and ${MOST_BYTES / 1e9} GB`,
			held: minutes <= MOST_MINUTES && bytes <= MOST_BYTES
		},
		{
			name: `Of ${pairs.length} pages and filters there, the slowest: ${slowest.page.page}`,
			measured: `${slowest.page.milliseconds.toFixed(0)} ms`,
			baseline: `${slowest.before.milliseconds.toFixed(0)} ms as large as the demo`,
			result: `${slowest.page.milliseconds.toFixed(0)} ms`,
			wanted: `none over ${MOST_MS} ms`,
			held: slowest.page.milliseconds <= MOST_MS
		},
		{
			name: `Of those, what grew most: ${most.page.page}`,
			measured: `${most.page.milliseconds.toFixed(0)} ms`,
			baseline: `${most.before.milliseconds.toFixed(0)} ms as large as the demo`,
			result: `${growth(most).toFixed(1)} ×`,
			wanted: `none over ${MOST_TIMES} ×; what takes less than ${LEAST_MS} ms is not told apart`,
			held: growth(most) <= MOST_TIMES
		}
	];
}

interface Pair {
	readonly page: Viewed;
	readonly before: Viewed;
}
const growth = ({ page, before }: Pair): number =>
	page.milliseconds / Math.max(LEAST_MS, before.milliseconds);

/** What the application that runs on it answers, and with which statements. */
async function viewed(
	provider: string,
	ways: Ways
): Promise<{ pages: readonly Viewed[]; statements: readonly Statement[] }> {
	const application = await startApplication(currentSettings(), { LIMEN_QUIET: 'yes', LIMEN_WATCH: 'no' });
	await asOwner('select pg_stat_statements_reset()');
	const pages = await viewAll(provider, ways);
	const { rows } = await asOwner(
		`select query, mean_exec_time as milliseconds, (shared_blks_hit + shared_blks_read)::float8 / calls as blocks from pg_stat_statements
		where dbid = (select oid from pg_database where datname = current_database()) and calls > 1 and query !~* '^\\s*(begin|commit|set|rollback|discard)'`
	);
	application.kill('SIGTERM');
	await once(application, 'exit');
	const wrong = pages.find(({ status }) => status >= 400);
	if (wrong) throw new Error(`${wrong.page} answered ${wrong.status}`);
	return { pages, statements: rows as Statement[] };
}

function report(
	words: string,
	pairs: readonly Pair[],
	small: readonly Statement[],
	large: readonly Statement[]
): string {
	const before = new Map(small.map((statement) => [statement.query, statement]));
	const grown = large
		.flatMap((now) => {
			const then = before.get(now.query);
			return then ? [{ now, then, times: now.blocks / Math.max(1, then.blocks) }] : [];
		})
		.sort((a, b) => b.now.blocks - a.now.blocks)
		.slice(0, 40);
	const shown = (query: string) => query.replace(/\s+/g, ' ').replaceAll('|', '\\|').slice(0, 160);
	return `# At a provider’s size

\`LIMEN_BENCH_SHARE=${SHARE} ./limen bench provider\`, ${new Date().toISOString().slice(0, 10)}: ${words}, beside as much as the demo has, in one run, as an administrator of all customers.

| page | at this size | as the demo | times |
|---|---|---|---|
${[...pairs]
	.sort((a, b) => b.page.milliseconds - a.page.milliseconds)
	.map(
		(pair) =>
			`| ${pair.page.page} | ${pair.page.milliseconds.toFixed(0)} ms | ${pair.before.milliseconds.toFixed(0)} ms | ${growth(pair).toFixed(1)} |`
	)
	.join('\n')}

What each statement reads, the most first, in blocks of 8 KiB a call:

| statement | at this size | as the demo | times | takes |
|---|---|---|---|---|
${grown.map(({ now, then, times }) => `| \`${shown(now.query)}\` | ${now.blocks.toFixed(0)} | ${then.blocks.toFixed(0)} | ${times.toFixed(1)} | ${now.milliseconds.toFixed(1)} ms |`).join('\n')}
`;
}
