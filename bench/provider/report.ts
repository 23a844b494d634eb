import { once } from 'node:events';
import { startApplication } from '../../command/limen';
import { currentSettings } from '../../src/lib/server/settings';
import { asOwner } from '../world';
import { viewAll, type Viewed, type Ways } from './pages';

/** What takes less is not told apart from what the machine does meanwhile. */
export const LEAST_MS = 25;

export interface Statement {
	readonly query: string;
	readonly milliseconds: number;
	/** Of 8 KiB, read for one call. */
	readonly blocks: number;
}

export interface Pair {
	readonly page: Viewed;
	readonly before: Viewed;
}
export const growth = ({ page, before }: Pair): number =>
	page.milliseconds / Math.max(LEAST_MS, before.milliseconds);

/** What the application that runs on it answers, and with which statements. */
export async function viewed(
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

/** Pages and statements of both, as Markdown. `command`: how it was made; `words`: how much there was. */
export function report(
	command: string,
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

\`${command}\`, ${new Date().toISOString().slice(0, 10)}: ${words}, beside as much as the demo has, in one run, as an administrator of all customers.

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
