import type { Page } from '@playwright/test';
import { expect, test } from '../help/test';
import { planned } from '../help/sites';
import { bind, claim, command, lineOf, visit, yardUnit } from '../help/yard';

/** Something waits until the test opens it. */
function gate() {
	let open = () => {};
	const opens = new Promise<void>((resolve) => (open = resolve));
	return { open, opens };
}

test('an act is told, and the page goes on living, while it was on the way elsewhere and changes came', async ({
	page
}) => {
	const point = await yardUnit('LF-6');
	await claim(page, 'Marlstone Veterinary', lineOf(point));
	await planned(page, 'Told rooms', 'Clinic');
	const positions = page.getByRole('list', { name: 'Positions' });
	const own = positions.getByRole('listitem').filter({ hasText: 'ap-' }).first().getByRole('link');
	await own.click();
	await expect(page).toHaveURL(/position=/);
	const place = page.url();

	// The way to another position takes as long as this test wants
	const way = gate();
	const elsewhere = positions.getByRole('listitem').filter({ hasText: 'gw-1' }).getByRole('link');
	const asked = page.waitForRequest(/__data\.json\?position=/);
	await page.route(/__data\.json\?position=/, async (route) => {
		const isElsewhere = !route.request().url().includes(new URL(page.url()).searchParams.get('position')!);
		if (isElsewhere) await way.opens;
		await route.continue().catch(() => undefined);
	});
	await elsewhere.click();
	await asked;
	// The act itself is a change that the page is told of
	await page.getByLabel(/^Serial number or MAC address/).fill(point.serial.slice(-6));
	await page.getByRole('button', { name: `Bind ${point.serial.slice(-4)}` }).click();
	await expect(page.getByRole('status').filter({ hasText: /Bound\./ })).toBeVisible();
	way.open();
	await page.unrouteAll({ behavior: 'wait' });

	// Whether the way elsewhere was called off or not, the page answers
	await own.click();
	await expect(page).toHaveURL(place);
	await expect(page.getByRole('button', { name: 'Unbind' })).toBeVisible();

	// Undone by somebody else: this page is told of that too
	const other = await page.context().newPage();
	await visit(other, place);
	await other.getByRole('button', { name: 'Unbind' }).click();
	await expect(page.getByRole('heading', { name: /^Bind a unit to ap-/ })).toBeVisible();
});

test('what an act brings anew does not call off the way that was taken after it @long', async ({ page }) => {
	const point = await yardUnit('LF-6');
	await claim(page, 'Marlstone Veterinary', lineOf(point));
	await planned(page, 'Way rooms', 'Clinic');
	await page.getByRole('list', { name: 'Positions' }).getByRole('listitem').filter({ hasText: 'ap-' }).first().getByRole('link').click(); // prettier-ignore
	await page.getByLabel(/^Serial number or MAC address/).fill(point.serial.slice(-6));
	const bind = page.getByRole('button', { name: `Bind ${point.serial.slice(-4)}` });
	await expect(bind).toBeVisible();

	// The act is done and answered while the next page is on its way; its change is told before its answer comes
	const place = page.url();
	const other = await page.context().newPage();
	await visit(other, place);
	const [onTheWay, told, elsewhere] = [gate(), gate(), gate()];
	await page.route(/\?\/bind/, async (route) => {
		await onTheWay.opens;
		const answer = await route.fetch();
		await told.opens;
		await route.fulfill({ response: answer });
	});
	await page.route(/\/records\/__data\.json/, async (route) => {
		await elsewhere.opens;
		await route.continue();
	});
	const sent = page.waitForRequest(/\?\/bind/);
	const asked = page.waitForRequest(/\/records\/__data\.json/);
	await bind.click();
	await sent;
	await page.getByRole('link', { name: 'Records', exact: true }).click();
	await asked;
	onTheWay.open();
	await expect(other.getByRole('button', { name: 'Unbind' })).toBeVisible();
	const shown = page.waitForResponse(/\?\/bind/);
	told.open();
	await shown;
	// Whatever the answer makes the page ask for, it has asked for before the way goes on
	await page.evaluate(() => new Promise((resolve) => requestIdleCallback(resolve)));
	elsewhere.open();
	await expect(page).toHaveURL(/\/records$/);
});

test('what is pressed stays where it is until it is released, and its click counts', async ({ page }) => {
	const point = await yardUnit('LF-6');
	await claim(page, 'Marlstone Veterinary', lineOf(point));
	await planned(page, 'Pressed rooms', 'Clinic');
	const positions = page.getByRole('list', { name: 'Positions' });
	const lobby = positions.getByRole('listitem').filter({ hasText: 'ap-lobby' });
	await lobby.getByRole('link').click();
	await expect(page.getByRole('heading', { name: 'Bind a unit to ap-lobby' })).toBeVisible();
	const other = await page.context().newPage();
	await visit(other, page.url());
	await other.getByLabel(/^Serial number or MAC address/).fill(point.serial.slice(-6));

	await positions.getByRole('listitem').filter({ hasText: 'ap-surgery' }).getByRole('link').hover();
	const before = await lobby.innerText();
	// The new data comes while the button of the mouse is down
	const pressedAt = await page.evaluate(() => performance.now());
	await page.mouse.down();
	await other.getByRole('button', { name: `Bind ${point.serial.slice(-4)}` }).click();
	await expect(other.getByRole('status').filter({ hasText: /Bound\./ })).toBeVisible();
	await page.waitForFunction(
		(since) =>
			performance
				.getEntriesByType('resource')
				.some(({ name, startTime }) => /__data\.json/.test(name) && startTime > since),
		pressedAt
	);
	await page.evaluate(() => new Promise((shown) => setTimeout(() => requestAnimationFrame(shown))));
	expect(await lobby.innerText()).toBe(before);
	await page.mouse.up();
	await expect(page.getByRole('heading', { name: 'Bind a unit to ap-surgery' })).toBeVisible();
	await expect(lobby).toContainText('not heard yet');
});

test('a page that is open outlives an outage, with what is typed into it', async ({ page }) => {
	const [point, spare] = [await yardUnit('LF-6'), await yardUnit('LF-6')];
	await claim(page, 'Marlstone Veterinary', `${lineOf(point)}\n${lineOf(spare)}`);
	await planned(page, 'Outlived rooms', 'Clinic');
	const positions = page.getByRole('list', { name: 'Positions' });
	const lobby = positions.getByRole('listitem').filter({ hasText: 'ap-lobby' });
	await lobby.getByRole('link').click();
	await expect(page.getByRole('heading', { name: 'Bind a unit to ap-lobby' })).toBeVisible();
	const place = page.url();
	await positions.getByRole('listitem').filter({ hasText: 'ap-surgery' }).getByRole('link').click();
	const typed = page.getByLabel(/^Serial number or MAC address/);
	await expect(page.getByRole('heading', { name: 'Bind a unit to ap-surgery' })).toBeVisible();
	await typed.fill('read aloud');

	// In turns nobody answers, and what stands before the application says that it is away
	let [isAway, asked] = [true, 0];
	await page.route(/__data\.json/, (route) =>
		!isAway
			? route.continue()
			: ++asked % 2
				? route.abort('connectionrefused')
				: route.fulfill({ status: 503, body: 'away' })
	);
	const other = await page.context().newPage();
	await visit(other, place);
	await other.getByLabel(/^Serial number or MAC address/).fill(point.serial.slice(-6));
	await other.getByRole('button', { name: `Bind ${point.serial.slice(-4)}` }).click();
	await expect(other.getByRole('status').filter({ hasText: /Bound\./ })).toBeVisible();
	await expect.poll(() => asked).toBeGreaterThan(2);
	await expect(page.getByText('Connection lost. Trying again …')).toBeVisible();
	await expect(typed).toHaveValue('read aloud');
	isAway = false;
	await expect(lobby).toContainText('not heard yet');
	await expect(page.getByText('Connection lost. Trying again …')).toBeHidden();
	await expect(typed).toHaveValue('read aloud');

	// So does the way to another page
	[isAway, asked] = [true, 0];
	await page.getByRole('link', { name: 'Records', exact: true }).click();
	await expect.poll(() => asked).toBeGreaterThan(1);
	await expect(page).toHaveURL(/\/sites\//);
	isAway = false;
	await expect(page).toHaveURL(/\/records$/);

	await other.getByRole('button', { name: 'Unbind' }).click();
	await expect(other.getByRole('heading', { name: /^Bind a unit to ap-/ })).toBeVisible();
});

/** From now on so many answers with a page's data end in their middle, as a browser tells it, or just go no further. */
async function halfAnswered(page: Page, how: 'breaks off' | 'falls silent'): Promise<void> {
	await page.addInitScript((isSilent) => {
		const whole = window.fetch.bind(window);
		Object.assign(window, { halves: 0 });
		window.fetch = async (input, init) => {
			const answer = await whole(input, init);
			const here = window as unknown as { halves: number };
			if (here.halves === 0 || !answer.url.includes('__data.json')) return answer;
			here.halves--;
			const bytes = new Uint8Array(await answer.arrayBuffer());
			const half = new ReadableStream({
				start: (said) => {
					said.enqueue(bytes.slice(0, bytes.length / 2));
					init?.signal?.addEventListener('abort', () => said.error(init.signal!.reason));
				},
				pull: (said) => (isSilent ? undefined : said.error(new TypeError('network error')))
			});
			return new Response(half, { status: answer.status, headers: answer.headers });
		};
	}, how === 'falls silent');
}
const halvesLeft = (page: Page) => page.evaluate(() => (window as unknown as { halves: number }).halves);

test('what breaks off in the middle of an answer is asked for again', async ({ page }) => {
	await halfAnswered(page, 'breaks off');
	await visit(page, '/units');
	await page.evaluate(() => Object.assign(window, { halves: 2 }));
	await page.getByRole('link', { name: 'Sites', exact: true }).first().click();
	await expect(page.getByRole('heading', { name: 'Sites', level: 1 })).toBeVisible();
	expect(await halvesLeft(page)).toBe(0);
});

test('who falls silent in the middle of an answer is asked again', async ({ page }) => {
	await page.clock.install();
	await halfAnswered(page, 'falls silent');
	await visit(page, '/units');
	await page.evaluate(() => Object.assign(window, { halves: 1 }));
	await page.getByRole('link', { name: 'Sites', exact: true }).first().click();
	await expect.poll(() => halvesLeft(page)).toBe(0);
	await page.clock.fastForward('01:01');
	await expect(page.getByRole('heading', { name: 'Sites', level: 1 })).toBeVisible();
});

test('more tabs than a browser has connections are all answered, and one that comes to the front shows what is @long', async ({
	page
}) => {
	const point = await yardUnit('LF-6');
	await claim(page, 'Marlstone Veterinary', lineOf(point));
	const context = page.context();
	// As a browser says it of tabs behind another
	const behind = async () => {
		const tab = await context.newPage();
		await tab.addInitScript(() => {
			let isBehind = true;
			Object.defineProperty(Document.prototype, 'visibilityState', {
				get: () => (isBehind ? 'hidden' : 'visible')
			});
			addEventListener('to the front', () => {
				isBehind = false;
				document.dispatchEvent(new Event('visibilitychange'));
			});
		});
		await visit(tab, '/units?q=' + point.serial);
		return tab;
	};
	const tabs = [];
	for (let at = 0; at < 8; at++) tabs.push(await behind());
	for (const tab of tabs)
		await expect(tab.getByRole('row', { name: point.serial })).toContainText('not bound');
	await planned(page, 'Tabs rooms', 'Clinic');
	await page.getByRole('list', { name: 'Positions' }).getByRole('listitem').filter({ hasText: 'ap-' }).first().getByRole('link').click(); // prettier-ignore
	await page.getByLabel(/^Serial number or MAC address/).fill(point.serial.slice(-6));
	await page.getByRole('button', { name: `Bind ${point.serial.slice(-4)}` }).click();
	await expect(page.getByRole('status').filter({ hasText: /Bound\./ })).toBeVisible();
	const [front] = tabs;
	await front!.evaluate(() => dispatchEvent(new Event('to the front')));
	await expect(front!.getByRole('row', { name: point.serial })).toContainText('not heard yet');
	for (const tab of tabs) await tab.close();
	await page.getByRole('button', { name: 'Unbind' }).click();
	await expect(page.getByRole('heading', { name: /^Bind a unit to ap-/ })).toBeVisible();
});

test('Arrivals show what happened while nobody could tell them @long', async ({ page }) => {
	const gateway = await yardUnit('OG-2');
	await claim(page, 'Marlstone Veterinary', lineOf(gateway));
	await planned(page, 'Aardvark rooms', 'Clinic');
	await page.getByRole('list', { name: 'Positions' }).getByRole('listitem').filter({ hasText: 'gw-1' }).getByRole('link').click(); // prettier-ignore
	await expect(page.getByRole('heading', { name: 'Bind a unit to gw-1' })).toBeVisible();
	await bind(page, gateway.serial);

	let isAway = true;
	await page.route(/\/arrivals\/stream/, (route) =>
		isAway ? route.abort('connectionrefused') : route.continue()
	);
	const [row, other] = [page.locator(`[data-serial="${gateway.serial}"]`), await page.context().newPage()];
	// Without a stream all rows come as well, once
	const allRows = () => page.waitForResponse(/\/arrivals\/rows/);
	let all = allRows();
	for (const one of [page, other]) await visit(one, '/arrivals?at=bound');
	await all;
	await expect(row).toContainText('not heard yet');
	// No step of its run: whoever looks for runs that moved since then finds nothing
	await command(gateway.serial, { faults: ['wrong-code'], power: true });
	await expect(other.locator(`[data-serial="${gateway.serial}"]`)).toContainText('wrong claim code');
	await command(gateway.serial, { power: false });
	await expect(row).toContainText('not heard yet');
	isAway = false;
	await expect(row).toContainText('wrong claim code');

	// And what is gone is gone
	isAway = true;
	all = allRows();
	await page.reload();
	await all;
	await expect(row).toContainText('wrong claim code');
	await visit(other, await other.locator(`[data-serial="${gateway.serial}"] a[href^="/sites/"]`).getAttribute('href').then(String)); // prettier-ignore
	await other.getByRole('button', { name: 'Unbind' }).click();
	await other.getByRole('dialog').getByLabel(/^Why/).fill('For a test');
	await other.getByRole('dialog').getByRole('button', { name: 'Go on' }).click();
	await expect(other.getByRole('heading', { name: 'Bind a unit to gw-1' })).toBeVisible();
	await expect(row).toBeVisible();
	isAway = false;
	await expect(row).toHaveCount(0);
});
