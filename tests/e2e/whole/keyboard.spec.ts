import { expect, test, type Page } from '../help/test';
import { ROOMS } from '../../../src/lib/ui/shell/rooms';
import { NOBODY } from '../help/people';
import { command, lineOf, visit, yardUnit } from '../help/yard';

/** More than there is to pass on any page. */
const MOST_TABS = 250;

/** Goes on with Tab until what has the focus is called so; as somebody without a mouse does. */
async function tabTo(page: Page, name: RegExp): Promise<void> {
	for (let step = 0; step < MOST_TABS; step++) {
		const called = await page.evaluate(() => {
			const one = document.activeElement as HTMLInputElement | null;
			if (!one || one === document.body) return '';
			const label = one.getAttribute('aria-label') ?? one.labels?.[0]?.innerText ?? one.innerText;
			return label.replace(/\s+/g, ' ').trim();
		});
		if (name.test(called)) return;
		await page.keyboard.press('Tab');
	}
	throw new Error(`Nothing called ${name} is reached with Tab on ${page.url()}.`);
}
/** To a room, with `g` and its letter. */
async function room(page: Page, letter: string): Promise<void> {
	await page.keyboard.type(`g${letter}`, { delay: 90 });
	const { href } = ROOMS.find(({ key }) => key === letter)!;
	await expect(page).toHaveURL((url) => url.pathname === href);
}

/** Chooses out of a list that has the focus by typing the beginning of a choice. */
const chooses = (page: Page, beginning: string) => page.keyboard.type(beginning, { delay: 60 });

async function comesIn(page: Page, name: string): Promise<void> {
	await visit(page, '/sign-in');
	await tabTo(page, new RegExp(`^${name}`));
	await page.keyboard.press('Enter');
	await expect(page).not.toHaveURL(/sign-in/);
	await expect(page.locator('html')).toHaveAttribute('data-ready', 'yes');
}

test('the walk through all of it is done by keyboard alone @long', async ({ browser }) => {
	const context = await browser.newContext({ storageState: NOBODY });
	const page = await context.newPage();
	const [gateway, second] = [await yardUnit('OG-2'), await yardUnit('OG-2')];

	await test.step('1: come in, and look at Arrivals', async () => {
		await comesIn(page, 'Ines Okafor');
		await room(page, 'a');
		await expect(page.getByRole('heading', { level: 1, name: 'Arrivals' })).toBeVisible();
	});

	await test.step('2: Today says what needs a person', async () => {
		await room(page, 't');
		await expect(page.getByRole('heading', { name: 'Needs a person' })).toBeVisible();
	});

	await test.step('3: units are taken in', async () => {
		await room(page, 'i');
		await expect(page.getByRole('heading', { level: 1, name: 'Intake' })).toBeVisible();
		await tabTo(page, /^For$/);
		await chooses(page, 'Mar');
		await tabTo(page, /^Units, one a line/);
		await page.keyboard.insertText(`${lineOf(gateway)}\n${lineOf(second)}`);
		await tabTo(page, /^Claim 2 lines/);
		await page.keyboard.press('Enter');
		await expect(page.getByRole('heading', { name: /2 of 2 claimed/ })).toBeVisible();
	});

	await test.step('4: a site is opened from the list, its position chosen, a unit bound', async () => {
		await room(page, 's');
		await tabTo(page, /^Filter sites$/);
		await page.keyboard.type('Westport clinic', { delay: 20 });
		await expect(page).toHaveURL(/q=Westport/);
		await expect(page.getByRole('table', { name: 'Sites' }).getByRole('row')).toHaveCount(2);
		await page.keyboard.press('ArrowDown');
		await page.keyboard.press('Enter');
		await expect(page.getByRole('heading', { level: 1, name: 'Westport clinic' })).toBeVisible();
		await tabTo(page, /^gw-1/);
		await page.keyboard.press('Enter');
		await expect(page).toHaveURL(/position=/);
		await tabTo(page, /^Serial number or MAC address/);
		await page.keyboard.type(gateway.serial.slice(-6), { delay: 60 });
		await tabTo(page, new RegExp(`^Bind ${gateway.serial.slice(-4)}`));
		await page.keyboard.press('Enter');
		await expect(page.getByRole('status').filter({ hasText: /Bound\./ })).toBeVisible();
	});

	await test.step('5: sites are stamped from a pasted list', async () => {
		await room(page, 's');
		await tabTo(page, /^Stamp sites$/);
		await page.keyboard.press('Enter');
		await expect(page.getByRole('heading', { level: 1, name: 'Stamp sites' })).toBeVisible();
		await tabTo(page, /^Pattern$/);
		await chooses(page, 'Pra');
		await expect(page.getByText('gw-1, ap-gym')).toBeVisible();
		await tabTo(page, /^or pasted/);
		await page.keyboard.insertText('site,uplink\nKeyboard one,fibre\nKeyboard two,fibre');
		await tabTo(page, /^Compare$/);
		await page.keyboard.press('Enter');
		await tabTo(page, /^Stamp 2 sites/);
		await page.keyboard.press('Enter');
		await expect(page.getByRole('heading', { name: /^2 sites are stamped/ })).toBeVisible();
	});

	await test.step('6: the technician binds and notes on their own day', async () => {
		const phone = await (await browser.newContext({ storageState: NOBODY })).newPage();
		await comesIn(phone, 'Tobias Venn');
		await expect(phone).toHaveURL(/\/day/);
		await phone.close();
	});

	await test.step('7: it gets power, and comes online', async () => {
		await command(gateway.serial, { power: true });
		await room(page, 'a');
		await expect(page.locator(`[data-serial="${gateway.serial}"]`)).toHaveAttribute('data-step', 'online');
	});

	await test.step('8: a unit is swapped for another, and who it is is confirmed', async () => {
		await comesInAgain(page, 'Maren Aldous');
		await page.keyboard.press('/');
		await page.keyboard.type('Westport clinic', { delay: 60 });
		await page.keyboard.press('Enter');
		await expect(page.getByRole('heading', { level: 1, name: 'Westport clinic' })).toBeVisible();
		await tabTo(page, /^gw-1/);
		await page.keyboard.press('Enter');
		await expect(page).toHaveURL(/position=/);
		await tabTo(page, /^Swap it for another unit/);
		await page.keyboard.press('Enter');
		await tabTo(page, /^Serial number or MAC address/);
		await page.keyboard.type(second.serial.slice(-6), { delay: 60 });
		await tabTo(page, new RegExp(`^Swap ${gateway.serial.slice(-4)} for`));
		await page.keyboard.press('Enter');
		const dialog = page.getByRole('dialog');
		await expect(dialog).toContainText('Westport clinic');
		await page.keyboard.type('The old one broke', { delay: 60 });
		await tabTo(page, /^Go on$|^Confirm and go on$/);
		await page.keyboard.press('Enter');
		await expect(page.locator('[data-position=gw-1]')).toContainText(second.serial.slice(-4));
	});

	await test.step('9: a profile is opened, its tabs walked, its values looked at', async () => {
		await room(page, 'p');
		await tabTo(page, /^Clinic gateway$/);
		await page.keyboard.press('Enter');
		await expect(page.getByRole('heading', { level: 1, name: 'Clinic gateway' })).toBeVisible();
		await tabTo(page, /^Values$/);
		await page.keyboard.press('Enter');
		await expect(page.getByRole('tab', { name: 'Values' })).toHaveAttribute('aria-selected', 'true');
		await expect(page.getByRole('heading', { name: 'Values given here' })).toBeVisible();
	});

	await test.step('10: the auditor reads who did what', async () => {
		await comesInAgain(page, 'Rua Penhale');
		await room(page, 'r');
		await expect(page.getByRole('heading', { level: 1, name: 'Records' })).toBeVisible();
		await expect(page.getByText(`Unit ${gateway.serial} at gw-1, Westport clinic replaced`)).toBeVisible();
	});
	await command(gateway.serial, { power: false });
	await context.close();
});

/** Out by the menu of one's own name, and in as somebody else. */
async function comesInAgain(page: Page, name: string): Promise<void> {
	await tabTo(page, /Okafor$|Aldous$/);
	await page.keyboard.press('Enter');
	await tabTo(page, /^Sign out$/);
	await page.keyboard.press('Enter');
	await expect(page).toHaveURL(/sign-in/);
	await comesIn(page, name);
}
