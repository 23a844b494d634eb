import { chromium, type Browser, type BrowserContext } from '@playwright/test';
import { CHROMIUM, CHROMIUM_ARGUMENTS, needChromium } from '../../command/packages';
import { startApplication } from '../../command/limen';
import { currentSettings, publicUrl } from '../../src/lib/server/settings';
import { administratorSession, customerWithRuns, median, send, type BenchUnit, type Figure } from '../world';

const SAMPLES = 120;
const MOVING = 500;
const LOADS = 9;
const INPUT = 'ietf-sztp-bootstrap-server:input';

const base = () => publicUrl(currentSettings());
const reportUrl = () => `${base()}/restconf/operations/ietf-sztp-bootstrap-server:report-progress`;
const said = (type: string, message: string) =>
	JSON.stringify({ [INPUT]: { 'progress-type': type, message } });

/** A browser of an administrator who looks at one customer. */
export async function pageOf(browser: Browser, customerId: string): Promise<BrowserContext> {
	const context = await browser.newContext({ viewport: { width: 1280, height: 800 } });
	await context.addCookies([
		{ name: 'customer', value: customerId, url: base() },
		{ name: 'limen_session', value: await administratorSession(), url: base() }
	]);
	return context;
}

export async function benchScreen(): Promise<Figure[]> {
	needChromium();
	const [many, few, moving] = [
		await customerWithRuns('Many', 2_000),
		await customerWithRuns('Few', 20),
		await customerWithRuns('Moving', MOVING)
	];
	const application = await startApplication(currentSettings(), { LIMEN_QUIET: 'yes' });
	const browser = await chromium.launch({ executablePath: CHROMIUM, args: CHROMIUM_ARGUMENTS });
	try {
		return [
			await eventToScreen(browser, moving.customerId, moving.units),
			await interactive(browser, few.customerId, many.customerId)
		];
	} finally {
		await browser.close();
		application.kill('SIGTERM');
	}
}

/** From the unit's report being sent to the changed row in the page, while all the other runs keep moving. */
async function eventToScreen(
	browser: Browser,
	customerId: string,
	units: readonly BenchUnit[]
): Promise<Figure> {
	const context = await pageOf(browser, customerId);
	const page = await context.newPage();
	await Promise.all(
		units.map((unit) =>
			send(`${base()}/restconf/operations/ietf-sztp-bootstrap-server:get-bootstrapping-data`, unit, '')
		)
	);
	await page.goto(`${base()}/arrivals`);
	await page.waitForSelector('[data-live="true"]');
	await page.evaluate(() => {
		const seen: Record<string, number> = {};
		(window as unknown as { seen: typeof seen }).seen = seen;
		new MutationObserver(() => {
			const now = Date.now();
			for (const row of document.querySelectorAll('[data-run]')) {
				const probe = /probe-\d+/.exec(row.textContent ?? '')?.[0];
				if (probe && !(probe in seen)) seen[probe] = now;
			}
		}).observe(document.querySelector('[data-live]')!, {
			subtree: true,
			childList: true,
			characterData: true
		});
	});
	// The others report without pause, a few at a time, as a night's batch would
	let going = true;
	const others = units.slice(20);
	const noise = Promise.all(
		Array.from({ length: 4 }, async (_, lane) => {
			for (let index = lane; going; index = (index + 4) % others.length) {
				await send(reportUrl(), others[index]!, said('informational', `moving ${index}`));
				await new Promise((resolve) => setTimeout(resolve, 20));
			}
		})
	);
	const sentAt: number[] = [];
	for (let sample = 0; sample < SAMPLES; sample++) {
		sentAt[sample] = Date.now();
		await send(reportUrl(), units[sample % 8]!, said('informational', `probe-${sample} `));
		await page.waitForFunction(
			(probe) => probe in (window as unknown as { seen: object }).seen,
			`probe-${sample}`
		);
	}
	going = false;
	await noise;
	const seen = await page.evaluate(() => (window as unknown as { seen: Record<string, number> }).seen);
	const times = sentAt.map((at, sample) => seen[`probe-${sample}`]! - at);
	const half = median(times);
	await context.close();
	const slowest = [...times].sort((a, b) => a - b)[Math.floor(times.length * 0.95)]!;
	return {
		name: `Event to screen, ${MOVING} runs moving`,
		measured: `median ${half} ms, 95 of 100 under ${slowest} ms`,
		baseline: '',
		result: `${half} ms`,
		wanted: 'median under 100 ms',
		held: half < 100
	};
}

/** From navigation to a page that shows rows, is live and answers to a key. */
async function interactive(browser: Browser, few: string, many: string): Promise<Figure> {
	const load = async (customerId: string): Promise<number> => {
		const context = await pageOf(browser, customerId);
		const page = await context.newPage();
		await page.goto(`${base()}/profiles`);
		const times: number[] = [];
		for (let turn = 0; turn < LOADS; turn++) {
			const start = Date.now();
			await page.goto(`${base()}/arrivals`, { waitUntil: 'commit' });
			await page.waitForFunction(
				() =>
					document.querySelector('[data-live="true"] [data-run]') !== null &&
					document.documentElement.dataset.ready === 'yes',
				undefined,
				{ polling: 'raf' }
			);
			await page.focus('[data-live] [role=table]');
			await page.keyboard.press('j');
			await page.waitForFunction(
				() => document.querySelectorAll('[data-run]')[1]?.classList.contains('active'),
				undefined,
				{ polling: 'raf' }
			);
			times.push(Date.now() - start);
		}
		await context.close();
		return median(times.slice(1));
	};
	await load(few);
	const [baseline, measured] = [await load(few), await load(many)];
	const ratio = measured / baseline;
	return {
		name: 'Arrivals with 2,000 runs, interactive',
		measured: `${measured} ms`,
		baseline: `${baseline} ms (the same page with 20)`,
		result: `${ratio.toFixed(2)} ×`,
		wanted: 'under 1.5 ×',
		held: ratio < 1.5
	};
}
