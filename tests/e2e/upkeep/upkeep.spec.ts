import { inRecords } from '../../programs';
import { expect, test, type Page } from '../help/test';
import { signedInAs } from '../help/people';
import { giveValue, sendAfterLooking } from '../help/sending';
import { planned } from '../help/sites';
import { bind, claim, command, fromMenu, lineOf, openPosition, visit, yardUnit } from '../help/yard';

const asIntended = (page: Page) => page.locator('header').getByText('as intended', { exact: true });
const earlier = (page: Page) => page.getByRole('list', { name: 'Earlier sends to this unit' });
const said = (page: Page, words: string) => page.getByRole('status').filter({ hasText: words });

test('what somebody typed at a unit is found, put right, accepted into the plan; what it ran before comes back; and what a value changes is behind @long', async ({
	browser
}) => {
	const page = await signedInAs(browser, 'Maren Aldous');
	const unit = await yardUnit('BW-8P');
	await claim(page, 'Marlstone Veterinary', lineOf(unit));
	await planned(page, 'Upkeep rooms');
	await page.getByLabel('Name', { exact: true }).fill('sw-1');
	await page.getByRole('combobox', { name: /^Profile/ }).selectOption({ label: 'Access switch' });
	await page.getByRole('button', { name: 'Plan it' }).click();
	await expect(said(page, 'sw-1 is planned.')).toBeVisible();
	await openPosition(page, 'Upkeep rooms', 'sw-1');
	const positionId = new URL(page.url()).searchParams.get('position')!;
	await giveValue(page, positionId, 'hostname', 'upkeep-sw-1');
	await openPosition(page, 'Upkeep rooms', 'sw-1');
	await bind(page, unit.serial);
	await command(unit.serial, { power: true });
	await expect(page.getByRole('listitem').filter({ hasText: 'sw-1' }).getByText('online')).toBeVisible();
	await visit(page, `/find?q=${unit.serial}`);
	await fromMenu(page, 'What it runs');
	await expect(asIntended(page)).toBeVisible();
	const versions = page.url();
	const typed = async (over: string, words: string) => {
		await command(unit.serial, { type: { over, words } });
		await visit(page, versions);
		await page.getByRole('button', { name: 'Read it now' }).click();
		await expect(page.locator('header').getByText('differs in 1 place')).toBeVisible();
	};

	await test.step('it is found, with what it is and what it should be', async () => {
		await typed('upkeep-sw-1', 'by-night');
		const finding = page.locator('[data-finding]');
		await expect(finding).toContainText('by-night');
		await expect(finding).toContainText('upkeep-sw-1');
		await expect(page.getByText('Version 2: changed outside of Limen')).toBeVisible();
	});

	await test.step('of each line it is told since when it has been there, and how it came', async () => {
		const text = page.getByRole('region', { name: 'Its text' });
		const told = page.getByTestId('origin');
		await text.getByText('by-night').hover();
		await expect(told).toContainText(/since version 2.*changed outside of Limen/);
		await text.focus();
		await page.keyboard.press('Home');
		await expect(told).toContainText('Line 1');
	});

	await test.step('a version that is good is pinned', async () => {
		await page
			.locator('[data-version="1"]')
			.or(page.getByRole('listitem').filter({ hasText: 'Version 1:' }))
			.first()
			.getByRole('link', { name: 'its text' })
			.click();
		await page.getByLabel('Known good, because').fill('as it was handed over');
		await page.getByRole('button', { name: 'Pin version 1' }).click();
		await expect(
			page.getByText(`Pinned by ${inRecords('Maren Aldous')}: as it was handed over`)
		).toBeVisible();
	});

	await test.step('the commands that would put it right are looked at before, where it is decided', async () => {
		await visit(page, '/upkeep');
		const group = page.getByRole('listitem').filter({ hasText: 'Upkeep rooms, sw-1' });
		await group.getByRole('link', { name: 'Decide' }).click();
		await page.getByRole('button', { name: 'Look at the commands' }).click();
		await expect(page.getByRole('heading', { level: 1 })).toHaveText('What 1 unit would be told');
		await expect(page.locator('main')).toContainText('upkeep-sw-1');
	});

	await test.step('it is put right, and nothing else is sent', async () => {
		await visit(page, versions);
		await page.getByRole('link', { name: 'Put this right' }).click();
		await sendAfterLooking(page, 'upkeep-sw-1');
		await expect(earlier(page).getByText('confirmed', { exact: true })).toBeVisible({ timeout: 60_000 });
		await visit(page, versions);
		await expect(asIntended(page)).toBeVisible();
		await expect(page.getByText('Version 3: sent by Maren Aldous')).toBeVisible();
	});

	await test.step('another is accepted: the value behind it follows', async () => {
		await typed('upkeep-sw-1', 'upkeep-switch');
		await page.getByRole('link', { name: /^Accept into the plan/ }).click();
		await expect(page.getByLabel(/at this position alone/)).toBeChecked();
		await expect(page.getByText('hostname: upkeep-sw-1 becomes upkeep-switch')).toBeVisible();
		await page.getByRole('button', { name: 'Accept at 1 unit' }).click();
		await expect(said(page, 'The plan says now what 1 unit runs.')).toBeVisible();
		await visit(page, versions);
		await expect(asIntended(page)).toBeVisible();
	});

	await test.step('the pinned version is brought back; what that undoes of the plan is said before', async () => {
		await page
			.getByRole('listitem')
			.filter({ hasText: 'Version 1:' })
			.getByRole('link', { name: 'go back to it' })
			.click();
		await expect(page.getByText('The plan says otherwise in 1 place')).toBeVisible();
		await sendAfterLooking(page, 'upkeep-sw-1');
		await expect(earlier(page).getByText('confirmed', { exact: true })).toHaveCount(2, { timeout: 60_000 });
		await visit(page, versions);
		await expect(page.locator('header').getByText('differs in 1 place')).toBeVisible();
	});

	await test.step('a changed value makes it behind, and is sent from there', async () => {
		await giveValue(page, positionId, 'hostname', 'upkeep-sw-3');
		await visit(page, '/upkeep/behind');
		const row = page.locator(`[data-unit="${unit.serial}"]`);
		await expect(row).toContainText('a value was changed');
		await row.getByRole('link', { name: 'Send it' }).click();
		await sendAfterLooking(page, 'upkeep-sw-3');
		await expect(earlier(page).getByText('confirmed', { exact: true })).toHaveCount(3, { timeout: 60_000 });
		await visit(page, '/upkeep/behind');
		await expect(row).toHaveCount(0);
	});

	await test.step('who has it in what they run is found, and the auditor sees when it was not as intended', async () => {
		await visit(page, '/upkeep/archive');
		await page.getByLabel('Who has this in what they run?').fill('upkeep-sw-3');
		await page.getByRole('button', { name: 'Show', exact: true }).click();
		await expect(page.getByRole('row').filter({ hasText: 'Upkeep rooms, sw-1' })).toContainText('runs it');
		await visit(page, `/records/intended?unit=${new URL(versions).pathname.split('/')[2]}`);
		await expect(page.getByRole('cell', { name: 'differed in 1 place' }).first()).toBeVisible();
		await expect(page.getByRole('row').filter({ hasText: 'somebody had it read' }).first()).toBeVisible();
	});
});

test('what a stranger typed is told with their name, and where a unit is held it is put back once a window is open @long', async ({
	browser
}) => {
	const page = await signedInAs(browser, 'Maren Aldous');
	const unit = await yardUnit('BW-8P');
	await claim(page, 'Marlstone Veterinary', lineOf(unit));
	await planned(page, 'Held rooms');
	await page.getByLabel('Name', { exact: true }).fill('sw-1');
	await page.getByRole('combobox', { name: /^Profile/ }).selectOption({ label: 'Access switch' });
	await page.getByRole('button', { name: 'Plan it' }).click();
	await expect(said(page, 'sw-1 is planned.')).toBeVisible();
	await openPosition(page, 'Held rooms', 'sw-1');
	const site = new URL(page.url()).pathname;
	const positionId = new URL(page.url()).searchParams.get('position')!;
	await giveValue(page, positionId, 'hostname', 'held-sw-1');
	await openPosition(page, 'Held rooms', 'sw-1');
	await bind(page, unit.serial);
	await command(unit.serial, { power: true });
	await expect(page.getByRole('listitem').filter({ hasText: 'sw-1' }).getByText('online')).toBeVisible();

	await test.step('its windows are closed, and the site says so', async () => {
		await fromMenu(page, 'Windows and stance');
		await page.getByText('In these hours only').click();
		await expect(page.getByText('No hours: single occasions only.')).toBeVisible();
		await page.getByRole('button', { name: 'Keep these windows' }).click();
		await expect(said(page, 'It counts from now on.')).toBeVisible();
		await visit(page, site);
		await expect(page.getByRole('link', { name: 'no window to come' })).toBeVisible();
	});

	await visit(page, `/find?q=${unit.serial}`);
	await fromMenu(page, 'What it runs');
	await expect(asIntended(page)).toBeVisible();
	const versions = page.url();
	await test.step('it is held', async () => {
		await page.getByLabel('What becomes of what drifts').selectOption('hold');
		await page.getByRole('button', { name: 'Keep it so' }).click();
		await expect(said(page, 'It counts from now on.')).toBeVisible();
	});

	await test.step('the unit says itself that it was configured: it is read, and whose it was is told', async () => {
		await command(unit.serial, { type: { over: 'held-sw-1', words: 'not-held', by: 'night-shift' } });
		await visit(page, '/upkeep/events');
		const row = page.getByRole('row').filter({ hasText: 'Held rooms, sw-1' });
		await expect(row.filter({ hasText: 'configured by night-shift' })).toBeVisible();
		const alert = page.locator('[data-alert]').filter({ hasText: 'Held rooms, sw-1' });
		await expect(alert).toContainText('Somebody, night-shift, configured it past Limen');
		await alert.getByRole('button', { name: 'Seen' }).click();
		await expect(alert).toContainText('Seen by Maren Aldous');
	});

	await test.step('outside its windows a person has to say why', async () => {
		await visit(page, versions);
		await page.getByRole('link', { name: 'Put this right' }).click();
		await expect(page.getByText('No window is open at this site, and none is to come.')).toBeVisible();
	});

	await test.step('once a window is open it is put back by itself', async () => {
		await visit(page, site);
		await page.getByRole('link', { name: 'no window to come' }).click();
		await page.getByText('At any time').click();
		await page.getByRole('button', { name: 'Keep these windows' }).click();
		await expect(said(page, 'It counts from now on.')).toBeVisible();
		await visit(page, versions);
		await expect(asIntended(page)).toBeVisible({ timeout: 150_000 });
		await expect(page.getByText(/^Version \d+: sent by Limen/)).toBeVisible();
	});
});
