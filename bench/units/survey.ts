import { writeFileSync } from 'node:fs';
import { connect } from 'node:net';
import { join } from 'node:path';
import { setTimeout as sleep } from 'node:timers/promises';
import { chromium } from '@playwright/test';
import pLimit from 'p-limit';
import { v7 as uuid } from 'uuid';
import { startApplication } from '../../command/limen';
import { CHROMIUM, CHROMIUM_ARGUMENTS, needChromium } from '../../command/packages';
import { freePort } from '../../command/running/ports';
import { startProgram } from '../../command/running/processes';
import { checkCharacter } from '../../src/core/intake';
import { run } from '../../src/lib/server/connections/speaking/exec';
import { connectOver } from '../../src/lib/server/connections/speaking/ssh';
import { database } from '../../src/lib/server/database';
import { seal } from '../../src/lib/server/keys';
import { currentSettings, publicUrl } from '../../src/lib/server/settings';
import type { Listener } from './listeners';
import { pageOf } from '../people/screen';
import { median, type Figure } from '../world';

const UNITS = 500;
const AT_ONCE = 50;
/** Each hears so many others. */
const FAN = 24;
const LEAST_RATE = 0.7;
const MOST_DRAWING_MS = 500;
const LOADS = 5;
const ACCOUNT = { user: 'keeper', password: 'by the door' };
/** What a survey says to a unit of this maker. */
const COMMANDS = ['print chassis', 'print release', 'print neighbours', 'print ports', 'print seen'];

const listeners: readonly Listener[] = Array.from({ length: UNITS }, (_, place) => {
	const body = `VTD${String(place).padStart(4, '0')}BNCH`;
	const first = place * FAN + 1;
	return {
		address: `127.70.${Math.floor(place / 200)}.${(place % 200) + 1}`,
		serial: body + checkCharacter(body, 'iso7064-mod-37-36'),
		mac: `06:70:00:00:${Math.floor(place / 256)
			.toString(16)
			.padStart(2, '0')}:${(place % 256).toString(16).padStart(2, '0')}`,
		name: `site${Math.floor(place / 10)}-gw${place % 10}`,
		hears: Array.from({ length: FAN }, (_unit, index) => first + index).filter((one) => one < UNITS)
	};
});

/** The same logins and commands over ssh2 alone, as many at once: units a second. */
async function bareRate(port: number): Promise<number> {
	const atOnce = pLimit(AT_ONCE);
	const start = performance.now();
	await Promise.all(
		listeners.map(({ address }) =>
			atOnce(async () => {
				const socket = connect(port, address);
				const { client } = await connectOver(
					socket,
					() => Promise.resolve(true),
					async () => [{ name: 'bare', login: ACCOUNT }],
					true
				);
				for (const command of COMMANDS) await run(client, command);
				client.end();
				socket.destroy();
			})
		)
	);
	return UNITS / ((performance.now() - start) / 1000);
}

/** A survey of many units over SSH, beside the bare logins and commands; and the first picture of what it found. */
export async function benchSurvey(): Promise<Figure[]> {
	needChromium();
	const port = await freePort();
	const file = join(currentSettings().LIMEN_STATE_DIR, `listeners-${port}.json`);
	writeFileSync(file, JSON.stringify({ port, units: listeners, account: ACCOUNT }));
	let said = '';
	const program = startProgram(
		'listeners',
		[process.execPath, '--import', 'tsx', 'bench/units/listeners.ts', file],
		{},
		(text) => (said += text)
	);
	while (!said.includes('all listen')) {
		if (program.exitCode !== null) throw new Error(said);
		// Another process's work: there is nothing to wait on
		await sleep(50);
	}
	const baseline = await bareRate(port);
	const application = await startApplication(currentSettings(), { LIMEN_QUIET: 'yes' });
	const { customer, survey, rate } = await surveyRate(port);
	program.kill('SIGTERM');
	const browser = await chromium.launch({ executablePath: CHROMIUM, args: CHROMIUM_ARGUMENTS });
	try {
		const context = await pageOf(browser, customer);
		const page = await context.newPage();
		const folded: number[] = [];
		const unfolded: number[] = [];
		for (let load = 0; load < LOADS; load++) {
			await page.goto(`${publicUrl(currentSettings())}/addresses/surveys/${survey}`);
			folded.push(
				await page.evaluate(() => {
					const [paint] = performance.getEntriesByName('first-contentful-paint');
					const [way] = performance.getEntriesByType('navigation') as PerformanceNavigationTiming[];
					return paint!.startTime - way!.responseStart;
				})
			);
			await page.waitForSelector('html[data-ready="yes"]');
			unfolded.push(
				await page.evaluate(async () => {
					const button = [...document.querySelectorAll('button')].find(
						({ textContent }) => textContent?.trim() === 'Unfold all'
					)!;
					const start = performance.now();
					button.click();
					await new Promise(requestAnimationFrame);
					await new Promise(requestAnimationFrame);
					return performance.now() - start;
				})
			);
		}
		const things = await page.locator('svg .thing').count();
		if (things < UNITS) throw new Error(`${things} of ${UNITS} are drawn.`);
		const drawn = (name: string, times: readonly number[]): Figure => ({
			name,
			measured: `${median(times).toFixed(0)} ms`,
			baseline: '',
			result: `${Math.max(...times).toFixed(0)} ms at most`,
			wanted: `under ${MOST_DRAWING_MS} ms`,
			held: median(times) < MOST_DRAWING_MS
		});
		return [
			{
				name: `A survey of ${UNITS} units over SSH, ${COMMANDS.length} commands each, ${AT_ONCE} at once, breadth-first from one`,
				measured: `${rate.toFixed(0)} a second`,
				baseline: `${baseline.toFixed(0)} a second (bare logins and commands)`,
				result: `${(rate / baseline).toFixed(2)} ×`,
				wanted: `at least ${LEAST_RATE} ×`,
				held: rate / baseline >= LEAST_RATE
			},
			drawn(`The first picture of it, from the first byte of the page, groups folded`, folded),
			drawn(`All ${UNITS} of it unfolded, from the click`, unfolded)
		];
	} finally {
		await browser.close();
		application.kill('SIGTERM');
	}
}

async function surveyRate(port: number): Promise<{ customer: string; survey: string; rate: number }> {
	const [customer, survey, work] = [uuid(), uuid(), uuid()];
	const ranges = ['127.70.0.0/16'];
	await database()('customer').insert({ id: customer, name: 'Surveyed' });
	await database()('login').insert({
		id: uuid(),
		customer_id: customer,
		name: 'keeper',
		user_name: ACCOUNT.user,
		login: seal(JSON.stringify(ACCOUNT)),
		port,
		ranges,
		by_whom: 'Bench'
	});
	await database()('survey').insert({
		id: survey,
		customer_id: customer,
		name: 'All of it',
		begins: [listeners[0]!.address],
		ranges,
		deepest: 50,
		at_once: AT_ONCE,
		per_second: 500,
		minutes: 30,
		every: 'never',
		by_whom: 'Bench'
	});
	await database()('survey_run').insert({
		id: work,
		survey_id: survey,
		customer_id: customer,
		by_whom: 'Bench',
		ends_at: new Date(Date.now() + 1_800_000)
	});
	await database()('survey_address').insert({
		run_id: work,
		customer_id: customer,
		address: listeners[0]!.address,
		depth: 0
	});
	const start = performance.now();
	await database().raw(`select pg_notify('limen_change', ?)`, [
		JSON.stringify({ topic: 'survey-asked', customerId: customer, ids: [work] })
	]);
	for (;;) {
		const { state } = await database()('survey_run').where({ id: work }).first('state');
		if (state !== 'under way') break;
		await sleep(50);
	}
	const seconds = (performance.now() - start) / 1000;
	const inside = await database()('survey_address')
		.where({ run_id: work, outcome: 'in' })
		.count({ count: '*' });
	if (Number(inside[0]!.count) !== UNITS) throw new Error(`${inside[0]!.count} of ${UNITS} let in.`);
	return { customer, survey, rate: UNITS / seconds };
}
