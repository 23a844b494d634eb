import { expect, test } from '../help/test';
import { DEMO_PASSWORD, signedInAs } from '../help/people';
import { said } from '../help/rollouts';
import { giveValue } from '../help/sending';
import { planned } from '../help/sites';
import { bind, claim, lineOf, openPosition, visit, yardUnit } from '../help/yard';

const SITE = 'Swap rooms';

test('a model is replaced: who is to go by rule, new units by list, each swapped, and counted @long', async ({
	browser
}) => {
	const page = await signedInAs(browser, 'Maren Aldous');
	const [old, fresh] = [await yardUnit('BW-8P'), await yardUnit('BW-24P')];
	await claim(page, 'Marlstone Veterinary', lineOf(old));
	await planned(page, SITE);
	await page.getByLabel('Name', { exact: true }).fill('sw-1');
	await page.getByRole('combobox', { name: /^Profile/ }).selectOption({ label: 'Access switch' });
	await page.getByRole('button', { name: 'Plan it' }).click();
	await expect(said(page, 'sw-1 is planned.')).toBeVisible();
	await openPosition(page, SITE, 'sw-1');
	const place = page.url();
	await giveValue(page, new URL(place).searchParams.get('position')!, 'hostname', 'swap-sw-1');
	await openPosition(page, SITE, 'sw-1');
	await bind(page, old.serial);

	await test.step('the list of units, narrowed, is kept as a cohort', async () => {
		await visit(page, `/units?q=${encodeURIComponent(SITE)}`);
		await page.getByRole('button', { name: 'Narrow' }).click();
		await page.getByLabel('A field and its value').fill('hostname=swap-sw-1');
		await page.getByLabel('A field and its value').press('Tab');
		await expect(page).toHaveURL(/field=hostname%3Dswap-sw-1/);
		await expect(page.getByRole('table', { name: 'Units' })).toContainText(old.serial.slice(-4));
		await page.getByRole('button', { name: 'Download' }).click();
		await page.getByRole('link', { name: 'Keep as a cohort' }).click();
		await page.getByLabel('Of', { exact: true }).selectOption({ label: 'Marlstone Veterinary' });
		await page.getByLabel('Name', { exact: true }).fill('Small switches');
		await page.getByRole('button', { name: 'Keep it' }).click();
		await expect(said(page, 'It is kept, and counted every hour.')).toBeVisible();
	});

	const row = page.getByRole('listitem').filter({ hasText: 'Small switches' });
	await test.step('a rollout to it says why there is none', async () => {
		await row.getByLabel('Plan a rollout to it').selectOption('hold');
		await row.getByLabel('Units that come into it meanwhile join').check();
		await row.getByRole('button', { name: 'Plan', exact: true }).click();
		await expect(page.getByText('None of these units is online.')).toBeVisible();
	});

	await test.step('it is looked at what it takes, and a new unit gets its place', async () => {
		await row.getByLabel('Replace its units by').selectOption({ label: 'BW-24P' });
		await row.getByRole('button', { name: 'See what it takes' }).click();
		await expect(page).toHaveURL(/\/upkeep\/replacements\//);
		const going = page.locator(`[data-place="${old.serial}"]`);
		await expect(going).toContainText('no unit yet');
		const give = async () => {
			await page.getByLabel('Serial numbers, one a line').fill(`${fresh.serial}, ${SITE}`);
			await page.getByRole('button', { name: 'Give them their places' }).click();
		};
		await give();
		await expect(
			page.getByText('No unit of this customer has this serial number. Claim it first.')
		).toBeVisible();
		const here = page.url();
		await claim(page, 'Marlstone Veterinary', lineOf(fresh));
		await visit(page, here);
		await give();
		await expect(said(page, '1 unit has its place.')).toBeVisible();
		await expect(going).toContainText('ready');
		await visit(page, place);
		await page.getByText('Swap it for another unit').click();
		await expect(page.getByText('meant for this place')).toBeVisible();
		await expect(
			page.getByRole('button', { name: `Swap ${old.serial.slice(-4)} for ${fresh.serial.slice(-4)}` })
		).toBeEnabled();
		await visit(page, here);
	});

	await test.step('it is swapped, and told as replaced', async () => {
		await page.getByRole('button', { name: 'Swap the one ready' }).click();
		const dialog = page.getByRole('dialog');
		await expect(dialog).toContainText(SITE);
		await dialog.getByLabel(/^Why/).fill('They are on site');
		const password = dialog.getByLabel('Your password');
		if (await password.isVisible()) await password.fill(DEMO_PASSWORD);
		await dialog.getByRole('button', { name: /go on$/i }).click();
		await expect(page.locator(`[data-place="${old.serial}"]`)).toContainText('replaced');
		await expect(page.locator('header').getByText('1 replaced')).toBeVisible();
		await page.getByRole('button', { name: 'End it' }).click();
		await expect(page.locator('header').getByText('over', { exact: true })).toBeVisible();
	});
});
