import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { chromium, type Browser, type Page } from '@playwright/test';
import { readListQuery, SITE_LIST } from '../../src/core/list';
import { startApplication } from '../../command/limen';
import { CHROMIUM, CHROMIUM_ARGUMENTS, needChromium } from '../../command/packages';
import { arrivals, cameThrough, standingCounts } from '../../src/lib/server/runs';
import { siteRows, sitesAhead } from '../../src/lib/server/plan';
import { currentSettings, publicUrl } from '../../src/lib/server/settings';
import { pageOf } from './screen';
import { customerWithRuns, inTurns, type Figure } from '../world';

const TURNS = 9;
const SITES = 20_000;
const MOVING = 500;
const MOST_TIMES = 1.3;
const MOST_SCRIPT_BYTES = 200_000;
const SOON_MS = 48 * 3_600_000;

const base = () => publicUrl(currentSettings());
const WHOLE_LIST = readListQuery(new URLSearchParams(), SITE_LIST);

type Rows = readonly object[];
interface View {
	readonly path: string;
	readonly name: string;
	readonly customerId: string;
	/** What a plain table of the same needs: the page's own queries. */
	readonly query: () => Promise<Rows>;
	/** Tells what the others cannot go below. */
	readonly floor?: true;
}

/** First views, with nothing kept from before, against a plain table of the same rows; and the scripts that pages send. */
export async function benchFirstView(): Promise<Figure[]> {
	needChromium();
	const sites = (await customerWithRuns('First sites', SITES)).customerId;
	const moving = (await customerWithRuns('First arrivals', MOVING)).customerId;
	const views: readonly View[] = [
		{
			path: '/nothing-is-here',
			name: 'a page that is not found, within the frame of all',
			customerId: moving,
			query: () => Promise.resolve([]),
			floor: true
		},
		{
			path: '/',
			name: `Today, ${MOVING} arrivals`,
			customerId: moving,
			query: async () =>
				(
					await Promise.all([
						arrivals({ customerId: moving, standing: 'stuck', limit: 12 }),
						cameThrough(moving, 8),
						sitesAhead(moving, new Date(Date.now() + SOON_MS), 8).then(({ due }) => due),
						standingCounts(moving).then((counts) => [counts])
					])
				).flat()
		},
		{
			path: '/sites',
			name: `Sites, ${SITES}`,
			customerId: sites,
			query: async () => (await siteRows(sites, WHOLE_LIST, 0, SITES)).rows
		},
		{
			path: '/arrivals',
			name: `Arrivals, ${MOVING} moving`,
			customerId: moving,
			query: () => arrivals({ customerId: moving, limit: MOVING })
		}
	];
	const plain = await plainTables(views);
	const application = await startApplication(currentSettings(), { LIMEN_QUIET: 'yes' });
	const browser = await chromium.launch({ executablePath: CHROMIUM, args: CHROMIUM_ARGUMENTS });
	try {
		const figures: Figure[] = [];
		for (const view of views) figures.push(await againstPlain(browser, plain, view));
		for (const [path, name] of [
			['/sign-in', 'the sign-in page'],
			['/day', 'the technician’s phone']
		] as const)
			figures.push(await scripts(browser, path, name, path === '/sign-in' ? null : moving));
		return figures;
	} finally {
		await browser.close();
		application.kill('SIGTERM');
		plain.close();
	}
}

/** A table of every column of every row, and nothing else. */
async function plainTables(views: readonly View[]): Promise<Server> {
	const escaped = (value: unknown) =>
		(typeof value === 'object' ? JSON.stringify(value) : String(value)).replace(/[&<]/g, '');
	const server = createServer(async (request, response) => {
		const view = views.find(({ path }) => path === request.url);
		if (!view) return void response.writeHead(404).end();
		const rows = await view.query();
		const lines = rows.map(
			(row) =>
				`<tr>${Object.values(row)
					.map((value) => `<td>${escaped(value)}</td>`)
					.join('')}</tr>`
		);
		response.setHeader('content-type', 'text/html; charset=utf-8');
		response.end(`<!doctype html><title>Plain</title><table>${lines.join('')}</table>`);
	});
	await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
	return server;
}

async function againstPlain(browser: Browser, plain: Server, view: View): Promise<Figure> {
	const plainUrl = `http://127.0.0.1:${(plain.address() as AddressInfo).port}${view.path}`;
	const first = async (url: string, ready: (page: Page) => Promise<unknown>) => {
		const context = await pageOf(browser, view.customerId);
		const page = await context.newPage();
		await page.goto(url, { waitUntil: 'commit' });
		await ready(page);
		await page.evaluate(() => new Promise((resolve) => requestAnimationFrame(() => setTimeout(resolve))));
		await context.close();
	};
	const { baseline, measured, ratio } = await inTurns(
		TURNS,
		() => first(plainUrl, (page) => page.waitForLoadState('load')),
		() => first(base() + view.path, (page) => page.waitForSelector('html[data-ready=yes]'))
	);
	return {
		name: `First view of ${view.name}, interactive`,
		measured: `${Math.round(measured)} ms`,
		baseline: `${Math.round(baseline)} ms (a plain table of the same rows)`,
		result: `${ratio.toFixed(2)} ×`,
		wanted: view.floor ? 'told only' : `at most ${MOST_TIMES} ×`,
		held: view.floor === true || ratio <= MOST_TIMES
	};
}

/** As it comes over the wire, compressed. */
async function scripts(
	browser: Browser,
	path: string,
	name: string,
	customerId: string | null
): Promise<Figure> {
	const context = customerId ? await pageOf(browser, customerId) : await browser.newContext();
	const page = await context.newPage();
	const protocol = await context.newCDPSession(page);
	await protocol.send('Network.enable');
	const are = new Set<string>();
	let bytes = 0;
	protocol.on('Network.responseReceived', ({ requestId, type, response }) => {
		if (type === 'Script' || new URL(response.url).pathname.endsWith('.js')) are.add(requestId);
	});
	protocol.on('Network.loadingFinished', ({ requestId, encodedDataLength }) => {
		if (are.has(requestId)) bytes += encodedDataLength;
	});
	await page.goto(base() + path, { waitUntil: 'load' });
	await page.waitForSelector('html[data-ready=yes]');
	await context.close();
	return {
		name: `JavaScript sent to ${name}, compressed`,
		measured: `${Math.round(bytes / 1000)} kB`,
		baseline: '',
		result: `${Math.round(bytes / 1000)} kB`,
		wanted: `under ${MOST_SCRIPT_BYTES / 1000} kB`,
		held: bytes > 0 && bytes < MOST_SCRIPT_BYTES
	};
}
