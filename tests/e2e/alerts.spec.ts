import { signedInAs } from './people';
import { planned } from './sites';
import { seriousIn } from './axe';
import { expect, test } from './test';
import { bind, claim, command, lineOf, openPosition, visit, yardUnit } from './yard';
import { giveValue } from './sending';

test('a rule is tried on the last week and stated; a site that goes silent is told of once, taken care of, on the wall, and ended @long', async ({
	browser
}) => {
	const page = await signedInAs(browser, 'Maren Aldous');
	await test.step('a rule is tried before it is stated', async () => {
		await visit(page, '/upkeep/alerts/rules');
		await page.getByLabel('Name', { exact: true }).fill('Silent for a minute');
		await page
			.getByRole('combobox', { name: 'Of', exact: true })
			.selectOption({ label: 'Marlstone Veterinary' });
		await page.getByRole('combobox', { name: 'About' }).selectOption({ label: 'a unit that is not heard' });
		await page.getByLabel('For, minutes').fill('1');
		await page.getByRole('button', { name: 'Try it on the last week' }).click();
		await expect(page.getByRole('region', { name: 'In the last week' })).toContainText(
			'not heard for 1 minute: would have told'
		);
		await page.getByRole('button', { name: 'State the rule' }).click();
		await expect(page.locator('[data-rule="Silent for a minute"]')).toContainText('not heard for 1 minute');
	});

	const unit = await yardUnit('BW-8P');
	await test.step('a unit comes online', async () => {
		await claim(page, 'Marlstone Veterinary', lineOf(unit));
		await planned(page, 'Silent rooms');
		await page.getByLabel('Name', { exact: true }).fill('sw-1');
		await page.getByRole('combobox', { name: /^Profile/ }).selectOption({ label: 'Access switch' });
		await page.getByRole('button', { name: 'Plan it' }).click();
		await openPosition(page, 'Silent rooms', 'sw-1');
		await giveValue(page, new URL(page.url()).searchParams.get('position')!, 'hostname', 'silent-sw-1');
		await openPosition(page, 'Silent rooms', 'sw-1');
		await bind(page, unit.serial);
		await command(unit.serial, { power: true });
		await expect(page.getByRole('listitem').filter({ hasText: 'sw-1' }).getByText('online')).toBeVisible();
	});

	const administrator = await signedInAs(browser, 'Sallowfield administrator');
	await visit(administrator, '/people/walls');
	await administrator.getByLabel('Where it hangs').fill('Operations room');
	await administrator
		.getByRole('combobox', { name: 'Shows' })
		.selectOption({ label: 'Marlstone Veterinary alone' });
	await administrator.getByRole('button', { name: 'Make its address' }).click();
	const address = (await administrator.locator('[data-address]').textContent())!;
	const screen = await (await browser.newContext({ viewport: { width: 1920, height: 1080 } })).newPage();
	await screen.goto(new URL(address).pathname);
	await expect(screen.getByRole('heading', { name: 'Marlstone Veterinary' })).toBeVisible();

	await test.step('it goes silent: told once, on the wall too', async () => {
		await command(unit.serial, { power: false });
		await visit(page, '/upkeep/events');
		const told = page.locator('[data-alert]').filter({ hasText: 'sw-1 at Silent rooms is not heard.' });
		await expect(told).toHaveCount(1, { timeout: 240_000 });
		await expect(screen.locator('[data-need="Silent rooms, sw-1"]')).toContainText('not heard');
		expect(await seriousIn(screen)).toEqual([]);
		await told.getByRole('link', { name: 'Silent rooms, sw-1' }).click();
	});

	await test.step('somebody takes care of it, and notes why: it goes on all the same', async () => {
		await page.getByRole('button', { name: 'Take care of it' }).click();
		await expect(page.getByText('It is yours now.')).toBeVisible();
		await page.getByLabel('Note for whoever looks next').fill('The fuse; somebody is on the way.');
		await page.getByRole('button', { name: 'Write it down' }).click();
		await expect(page.getByText('The fuse; somebody is on the way.')).toBeVisible();
		await expect(page.getByText('it goes on')).toBeVisible();
		// What somebody takes care of needs no other person
		await expect(screen.locator('[data-need="Silent rooms, sw-1"]')).toHaveCount(0);
		await expect(screen.locator('[data-count="not heard"] .count')).not.toHaveText('0');
	});

	await test.step('it comes back: ended, by itself', async () => {
		await command(unit.serial, { power: true });
		await expect(page.locator('header').getByText('was not heard, ended')).toBeVisible({ timeout: 240_000 });
	});

	await test.step('the wall says when it is stale, and when it has ended', async () => {
		await screen.context().setOffline(true);
		await expect(screen.getByRole('alert')).toContainText('Not up to date', { timeout: 60_000 });
		await screen.context().setOffline(false);
		await expect(screen.getByRole('alert')).toHaveCount(0);
		await administrator.getByRole('button', { name: 'End it' }).click();
		await expect(screen.getByRole('alert')).toContainText('This screen has ended.');
		expect(await seriousIn(screen)).toEqual([]);
	});
});
