import type { Page } from '@playwright/test';
import { checkCharacter } from '../../../src/core/intake';
import { seriousIn } from '../help/axe';
import { expect, test } from '../help/test';
import { bind, claim, lineOf, openPosition, scan, visit, yardUnit } from '../help/yard';

const PAGES = [
	'/',
	'/intake',
	'/sites',
	'/units',
	'/intake/rules',
	'/profiles',
	'/profiles/begin',
	'/profiles/parts/from-text',
	'/profiles/takeon',
	'/profiles/makers',
	'/profiles/makers/okapira',
	'/profiles/makers/load',
	'/values',
	'/addresses',
	'/addresses/ways',
	'/addresses/logins',
	'/addresses/surveys',
	'/arrivals',
	'/day',
	'/sites?view=map',
	'/sites/new',
	'/sites/week',
	'/arrivals/normal',
	'/sites/reachability',
	'/sites/reachability?show=table',
	'/addresses/tunnels',
	'/handovers',
	'/signing',
	'/people/walls',
	'/people/webhooks',
	'/sites/connectors',
	'/units/retired',
	'/records/reports?part=inventory&part=standing&part=health&send=on',
	'/records/reports/look',
	'/people/groups',
	'/upkeep/alerts/rules',
	'/sites/patterns',
	'/sites/stamp',
	'/upkeep',
	'/upkeep/archive?words=port',
	'/upkeep/behind',
	'/upkeep/windows',
	'/upkeep/health',
	'/upkeep/most',
	'/upkeep/events',
	'/upkeep/firmware',
	'/arrivals/rollouts',
	'/upkeep/cohorts?rule=drift%3Dbehind',
	'/upkeep/secrets',
	'/records/intended',
	'/records',
	'/find?q=clinic',
	'/account',
	'/people'
];

const roomOf = (path: string): string => path.split(/[/?]/)[1] || 'today';

/** What axe finds on each of these pages, on a desk's screen and on a phone's. */
async function foundOn(page: Page, paths: string[]): Promise<string[]> {
	const found: string[] = [];
	for (const path of paths) {
		await visit(page, path);
		for (const width of [1280, 390]) {
			await page.setViewportSize({ width, height: 844 });
			found.push(...(await seriousIn(page)).map((words) => `${path} ${width} ${words}`));
		}
	}
	return found;
}

// One test for each room, so that none takes longer the more rooms there are
for (const room of new Set(PAGES.map(roomOf)))
	test(`axe finds nothing serious in ${room}, in light and in dark`, { tag: '@long' }, async ({ page }) => {
		const paths = PAGES.filter((path) => roomOf(path) === room);
		expect(await foundOn(page, paths)).toEqual([]);
	});

test(
	'axe finds nothing serious on the pages of one site, in light and in dark',
	{ tag: '@long' },
	async ({ page }) => {
		await page.goto('/sites?q=Nelson');
		const site = await page.getByRole('link', { name: 'Nelson clinic' }).getAttribute('href');
		await page.goto(site!);
		const preview = await page.getByRole('link', { name: 'Compare' }).getAttribute('href');
		const ofSite = ['', '?cabling', '/network', '/bundle', '/health', '/rehearsal', '/proof', '/handover'];
		expect(await foundOn(page, [...ofSite.map((rest) => site! + rest), preview!])).toEqual([]);
	}
);

test(
	'axe finds nothing serious on the pages of one unit, in light and in dark',
	{ tag: '@long' },
	async ({ page }) => {
		const own = await yardUnit('OG-2');
		await claim(page, 'Marlstone Veterinary', lineOf(own));
		await page.goto(`/find?q=${own.serial}`);
		await expect(page).toHaveURL(/\/units\/[0-9a-f-]{36}/);
		const unit = new URL(page.url()).pathname;
		const ofUnit = ['', '/health', '/send', '/firmware', '/reach', '/dialogue'];
		expect(
			await foundOn(
				page,
				ofUnit.map((rest) => unit + rest)
			)
		).toEqual([]);
	}
);

test(
	'axe finds nothing serious on profiles, parts, pools and components, in light and in dark',
	{
		tag: '@long'
	},
	async ({ page }) => {
		await page.goto('/profiles');
		const profile = await page.getByRole('link', { name: 'Bakery router' }).getAttribute('href');
		const part = await page.getByRole('link', { name: 'Local network' }).getAttribute('href');
		await page.goto('/addresses');
		const pool = await page.getByRole('link', { name: 'Bakery networks' }).getAttribute('href');
		expect(await foundOn(page, [profile!, part!, pool!, '/components'])).toEqual([]);
	}
);

test('on a phone nothing runs off the side, and the bottom bar leads on @long', async ({ page }) => {
	await page.setViewportSize({ width: 390, height: 844 });
	for (const path of PAGES) {
		await page.goto(path);
		const [inner, outer] = await page.evaluate(() => [
			document.documentElement.scrollWidth,
			document.documentElement.clientWidth
		]);
		expect(inner, path).toBeLessThanOrEqual(outer!);
	}
	await page.getByRole('navigation', { name: 'Rooms on a phone' }).getByText('More').click();
	await page.getByRole('link', { name: 'Intake' }).last().click();
	await expect(page.getByRole('heading', { name: 'Intake' })).toBeVisible();
});

test('everything can be reached by keys, and a hand scanner works anywhere', async ({ page }) => {
	const unit = await yardUnit('OG-8');
	await visit(page, '/');
	// As a person types: a scanner is told by being faster
	await page.keyboard.type('gs', { delay: 90 });
	await expect(page).toHaveURL(/\/sites$/);
	await page.keyboard.press('/');
	await page.keyboard.type('Nelson clinic');
	await page.keyboard.press('Enter');
	await expect(page.getByRole('heading', { level: 1, name: 'Nelson clinic' })).toBeVisible();
	await visit(page, '/sites');
	await page.locator('body').click({ position: { x: 5, y: 400 } });
	await scan(page, unit.serial);
	await expect(page.getByText('a valid serial number that nobody has claimed')).toBeVisible();
	await page.getByRole('link', { name: 'Claim it' }).click();
	await expect(page.getByLabel(/^Units, one a line/)).toHaveValue(unit.serial);
});

test('a megabyte pasted by mistake is refused in a sentence, and stays where it was', async ({ page }) => {
	await visit(page, '/intake');
	await page.getByLabel('For', { exact: true }).selectOption({ label: 'Southfold Physio' });
	const field = page.getByLabel(/^Units, one a line/);
	await field.evaluate((element: HTMLTextAreaElement) => {
		element.value = 'lorem ipsum '.repeat(90_000);
		element.dispatchEvent(new Event('input', { bubbles: true }));
	});
	await page.getByRole('button', { name: /^Claim/ }).click();
	await expect(page.getByRole('alert')).toContainText('Nothing was taken in');
	expect((await field.inputValue()).length).toBe(12 * 90_000);
});

test('two people bind the same unit at once: one does, the other is told', async ({ page, browser }) => {
	const unit = await yardUnit('OG-2');
	await claim(page, 'Marlstone Veterinary', lineOf(unit));
	await openPosition(page, 'Geraldine clinic', 'gw-1');
	await page.getByLabel(/^Serial number or MAC address/).fill(unit.serial);
	const other = await browser.newPage();
	await other.route('**/live?*', (route) => route.abort());
	await openPosition(other, 'Timaru clinic', 'gw-1');
	await other.getByLabel(/^Serial number or MAC address/).fill(unit.serial);
	await expect(other.getByRole('button', { name: `Bind ${unit.serial.slice(-4)}` })).toBeEnabled();
	await bind(page, unit.serial);
	await other.getByRole('button', { name: `Bind ${unit.serial.slice(-4)}` }).click();
	await expect(other.getByRole('alert')).toContainText('already bound to Geraldine clinic gw-1');
	await other.close();
	await page.getByRole('button', { name: 'Unbind' }).click();
	await expect(page.getByText('The position is open again')).toBeVisible();
});

test('what somebody has opened stays open when the page is loaded anew', async ({ page, browser }) => {
	await openPosition(page, 'Nelson clinic', 'gw-1');
	await page.getByText('Values and where they are given').click();
	const row = page.getByRole('row').filter({ hasText: 'hostname' });
	await expect(row).toBeVisible();
	const loaded = page.waitForResponse(/__data\.json/);
	const other = await browser.newPage();
	const body = 'OG2K7150411';
	const serial = body + checkCharacter(body, 'iso7064-mod-37-36');
	await claim(other, 'Marlstone Veterinary', `${serial}, 02:0a:71:50:41:10, OPENED-CODE-1`);
	await loaded;
	// The unit that was taken in meanwhile is offered: the page is the new one
	await expect(page.locator('label[draggable=true]').filter({ hasText: serial.slice(-4) })).toBeVisible();
	await expect(row).toBeVisible();
	await other.close();
});

test('missing values are listed before anything is sent', async ({ page }) => {
	await openPosition(page, 'Queenstown rooms', 'gw-1');
	await expect(page.getByRole('alert')).toContainText('“networks” has no value');
	await expect(page.getByRole('alert').getByRole('link', { name: 'Give it at the site' })).toBeVisible();
});

test('an image is uploaded once, with its hash', async ({ page }) => {
	await visit(page, '/upkeep/firmware');
	const upload = page.locator('form').filter({ has: page.getByRole('heading', { name: 'Upload an image' }) });
	const fill = async () => {
		await upload.getByLabel('Firmware line').selectOption('lumenfold-air');
		await upload.getByLabel('Version').fill('3.0.0');
		await upload.getByLabel('File').setInputFiles({
			name: 'air.bin',
			mimeType: 'application/octet-stream',
			buffer: Buffer.from('made-up firmware')
		});
		await upload.getByRole('button', { name: 'Upload image' }).click();
	};
	await fill();
	await expect(page.locator('[data-image="lumenfold-air 3.0.0"]')).toContainText('c1c7b7252fb8');
	await expect(page.getByText('lumenfold-air 3.0.0 is here.')).toBeVisible();
	await fill();
	await expect(page.getByRole('alert')).toContainText('already here');
});

test('what is not there is said so, for one customer as for all', async ({ page }) => {
	for (const path of ['/units/00000000-0000-7000-8000-000000000000', '/sites/nothing', '/nowhere']) {
		expect((await page.goto(path))!.status()).toBe(404);
		await expect(page.getByRole('heading', { name: 'Not here' })).toBeVisible();
	}
	await expect(page.getByText('There is no page at this address.')).toBeVisible();
	await visit(page, '/sites?q=nelson+clinic');
	const site = page.getByRole('link', { name: 'Nelson clinic', exact: true });
	await expect(site).toBeVisible();
	await page.getByRole('combobox', { name: 'Customer' }).selectOption({ label: 'Southfold Physio' });
	await expect(site).toHaveCount(0);
	await expect(page.getByText('No site fits.')).toBeVisible();
});
