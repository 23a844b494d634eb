import { expect, test, type Browser } from '../help/test';
import { agrees, Hand } from '../help/hand';
import { signedInAs } from '../help/people';
import { giveValue } from '../help/sending';
import { planned } from '../help/sites';
import { bind, claim, command, fromMenu, lineOf, openPosition, visit, yardUnit } from '../help/yard';

const SITE = 'Waihola rooms';
const PLACE = `${SITE}, sw-1`;

/** From Today, by somebody who has just come in: nobody is asked for a password again. */
async function handOf(browser: Browser, name: string): Promise<Hand> {
	const page = await signedInAs(browser, name);
	await visit(page, '/');
	return new Hand(page);
}
/** Says why, and goes on. */
async function because(hand: Hand, why: string): Promise<void> {
	await expect(hand.page.getByRole('dialog').getByLabel(/^Why/)).toBeFocused();
	await hand.type(why);
	await hand.press('Enter');
}
/** Finds the site by some of its letters. */
async function toTheSite(hand: Hand): Promise<void> {
	await hand.type('/');
	await hand.type('waih');
	await hand.press('Enter');
	await expect(hand.page.getByRole('heading', { level: 1, name: SITE })).toBeVisible();
}

test('a site that is online is kept right, proven, handed over and told of @long', async ({ browser }) => {
	const page = await signedInAs(browser, 'Maren Aldous');
	const [unit, spare] = [await yardUnit('BW-8P'), await yardUnit('BW-8P')];
	await claim(page, 'Marlstone Veterinary', [unit, spare].map(lineOf).join('\n'));
	await planned(page, SITE);
	await page.getByLabel('Name', { exact: true }).fill('sw-1');
	await page.getByRole('combobox', { name: /^Profile/ }).selectOption({ label: 'Access switch' });
	await page.getByRole('button', { name: 'Plan it' }).click();
	await openPosition(page, SITE, 'sw-1');
	const positionId = new URL(page.url()).searchParams.get('position')!;
	await giveValue(page, positionId, 'hostname', 'waihola-sw-1');
	await openPosition(page, SITE, 'sw-1');
	const site = new URL(page.url()).pathname;
	await bind(page, unit.serial);
	await command(unit.serial, { power: true });
	await expect(page.getByRole('listitem').filter({ hasText: 'sw-1' }).getByText('online')).toBeVisible();
	await visit(page, `/find?q=${unit.serial}`);
	await fromMenu(page, 'What it runs');
	await expect(page).toHaveURL(/\/versions$/);
	const versions = page.url();
	const standsSo = async (words: string) => {
		await visit(page, versions);
		await expect(page.locator('header').getByText(words, { exact: true })).toBeVisible();
	};
	await standsSo('as intended');
	/** Somebody changes it at the unit itself, and it is read. */
	const typed = async (over: string, words: string) => {
		await command(unit.serial, { type: { over, words } });
		await visit(page, versions);
		await page.getByRole('button', { name: 'Read it now' }).click();
		await expect(page.locator('header').getByText('differs in 1 place')).toBeVisible();
	};

	await test.step('what somebody typed is put right', async () => {
		await typed('waihola-sw-1', 'by-night');
		const hand = await handOf(browser, 'Maren Aldous');
		const row = hand.page.locator('[data-finding]').filter({ hasText: PLACE });
		await hand.tap(row.getByRole('link', { name: 'Decide what becomes of it' }));
		await hand.tap(hand.page.getByRole('button', { name: 'Put right at 1 unit' }));
		await because(hand, 'a mistake');
		await expect(hand.page.getByRole('dialog')).toHaveCount(0);
		agrees('Put right what somebody typed at a unit', hand);
		await standsSo('as intended');
	});

	await test.step('who changed a line is found', async () => {
		const hand = await handOf(browser, 'Rua Penhale');
		await toTheSite(hand);
		await hand.tap(hand.page.getByRole('link', { name: 'What it runs, and who changed which line' }));
		await hand.tap(hand.page.getByRole('region', { name: 'Its text' }).getByText('waihola-sw-1'));
		await expect(hand.page.getByTestId('origin')).toContainText('sent by Maren Aldous');
		agrees('Find who changed a line of what a unit runs', hand);
	});

	await test.step('what somebody typed is accepted into the plan', async () => {
		await typed('waihola-sw-1', 'waihola-east');
		const hand = await handOf(browser, 'Maren Aldous');
		const row = hand.page.locator('[data-finding]').filter({ hasText: PLACE });
		await hand.tap(row.getByRole('link', { name: 'Decide what becomes of it' }));
		await hand.tap(hand.page.getByRole('link', { name: /^Accept into the plan/ }));
		await hand.tap(hand.page.getByRole('button', { name: 'Accept at 1 unit' }));
		await expect(hand.page.getByRole('status').filter({ hasText: 'The plan says now' })).toBeVisible();
		agrees('Accept into the plan what somebody typed at a unit', hand);
	});

	await test.step('a proven site is handed over by telephone', async () => {
		await visit(page, `${site}/proof`);
		await page.getByRole('button', { name: 'Prove this site' }).click();
		await expect(page.getByText(/\d+ checks? holds?/)).toBeVisible();
		const hand = await handOf(browser, 'Ines Okafor');
		await toTheSite(hand);
		await hand.tap(hand.page.getByRole('link', { name: 'Hand it over' }));
		await hand.tap(hand.page.getByLabel('They accept it by telephone'));
		await hand.tap(hand.page.getByLabel('Accepted by'));
		await hand.type('Ana Rewi');
		await hand.tap(hand.page.getByRole('button', { name: /^Hand over/ }));
		await expect(hand.page.getByRole('status').filter({ hasText: 'Handed over: number 1.' })).toBeVisible();
		agrees('Hand over a site that is proven', hand);
		await visit(page, site);
		await expect(page.getByRole('button', { name: 'Prove this site' })).toBeVisible();
	});

	await test.step('a unit is swapped', async () => {
		const hand = await handOf(browser, 'Maren Aldous');
		await toTheSite(hand);
		await hand.tap(hand.page.getByText('Swap it for another unit'));
		await hand.tap(hand.page.getByLabel(/^Serial number or MAC address/));
		await hand.type(spare.serial.slice(-4));
		await hand.tap(hand.page.getByRole('button', { name: `Swap ${unit.serial.slice(-4)} for` }));
		await because(hand, 'it is dead');
		await expect(hand.page.getByRole('status').filter({ hasText: 'Swapped' })).toBeVisible();
		agrees('Swap a unit for another', hand);
	});

	await test.step('a customer gets a report each month', async () => {
		const hand = await handOf(browser, 'Ines Okafor');
		await hand.type('gr');
		await hand.tap(hand.page.getByRole('link', { name: 'Reports' }));
		await hand.tap(hand.page.getByLabel('what there is'));
		await hand.tap(hand.page.getByLabel('how long sites'));
		await hand.choose(hand.page.getByLabel('Of', { exact: true }), 'Marlstone Veterinary');
		await hand.tap(hand.page.getByRole('button', { name: 'Show it' }));
		await hand.tap(hand.page.getByRole('link', { name: 'Send it regularly' }));
		await hand.tap(hand.page.getByLabel('To', { exact: true }));
		await hand.type('it@marlstone.example');
		await hand.tap(hand.page.getByRole('button', { name: 'Send it from now on' }));
		await expect(hand.page.getByRole('heading', { level: 1, name: /^Report on/ })).toBeVisible();
		agrees('Send a customer a report each month', hand);
	});
});
