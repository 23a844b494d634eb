import { writeFileSync } from 'node:fs';
import { asOwner, type Figure } from '../world';
import { makeProvider } from './make';
import { anyWay } from './pages';
import { growth, LEAST_MS, report, viewed } from './report';
import { OF_THE_DEMO, scaled, WHOLE } from './size';

/** How much of a whole provider is made; all of it takes some twenty minutes and 60 GB. */
const SHARE = Number(process.env.LIMEN_BENCH_SHARE ?? 0.05);
/** How far back its figures of health go, of what the settings keep. */
const HISTORY = Number(process.env.LIMEN_BENCH_HISTORY ?? 1);
const MOST_TIMES = 2;
const MOST_MS = 1_000;
const MOST_MINUTES = 20;
const MOST_BYTES = 40e9;
const REPORT = 'docs/size.md';

/**
 * Each page and each list's filter of a provider of full size, beside the same page of one that is as large as the demo, in one
 * run; and how many blocks each statement reads in both.
 */
export async function benchProvider(): Promise<Figure[]> {
	await asOwner('create extension if not exists pg_stat_statements');
	const ways = await anyWay();
	await makeProvider('Small', OF_THE_DEMO);
	const small = await viewed('Small', ways);
	const size = scaled(WHOLE, SHARE, HISTORY);
	const begun = performance.now();
	const parts: string[] = [];
	await makeProvider('Large', size, (part, seconds) => parts.push(`${part} ${seconds.toFixed(0)} s`));
	const minutes = (performance.now() - begun) / 60_000;
	const bytes = Number((await asOwner('select pg_database_size(current_database()) as size')).rows[0].size);
	const large = await viewed('Large', ways);
	const pairs = large.pages.map((page, at) => ({ page, before: small.pages[at]! }));
	const slowest = pairs.reduce((a, b) => (a.page.milliseconds > b.page.milliseconds ? a : b));
	const most = pairs.reduce((a, b) => (growth(a) > growth(b) ? a : b));
	const words = `${size.customers} customers, ${size.sites} sites, ${size.units} units, ${size.events} events, health by the day for ${size.days.days} days`;
	writeFileSync(
		REPORT,
		report(
			`LIMEN_BENCH_SHARE=${SHARE} LIMEN_BENCH_HISTORY=${HISTORY} ./limen bench provider`,
			words,
			pairs,
			small.statements,
			large.statements
		)
	);
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
