import { expect, test } from './test';
import { claim, lineOf, visit, yardUnit } from './yard';

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
	await visit(page, '/sites?q=Kaiapoi');
	await page.getByRole('link', { name: 'Kaiapoi clinic', exact: true }).click();
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
	await visit(page, '/sites?q=Kaiapoi');
	await page.getByRole('link', { name: 'Kaiapoi clinic', exact: true }).click();
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
