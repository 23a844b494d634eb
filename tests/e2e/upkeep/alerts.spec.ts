import type { Page } from '@playwright/test';
import { signedInAs } from '../help/people';
import { planned } from '../help/sites';
import { seriousIn } from '../help/axe';
import { expect, test } from '../help/test';
import { said } from '../help/rollouts';
import { giveValue } from '../help/sending';
import {
	bind,
	claim,
	command,
	fromMenu,
	lineOf,
	openPosition,
	visit,
	yardUnit,
	type YardUnit
} from '../help/yard';

const SILENT = 'Nobody at Silent rooms is heard: its way out, or its power, is down.';
const position = (page: Page, name: string) =>
	page.getByRole('list', { name: 'Positions' }).getByRole('listitem').filter({ hasText: name });

/** Plans a position of the site that is open, gives it its values, and brings a unit online there. */
async function atPosition(
	page: Page,
	name: string,
	profile: string,
	{ serial }: YardUnit,
	values: Readonly<Record<string, string>>
): Promise<void> {
	const site = page.url();
	const field = page.getByLabel('Name', { exact: true });
	if (!(await field.isVisible())) await page.getByText('Plan another position').click();
	await field.fill(name);
	await page.getByRole('combobox', { name: /^Profile/ }).selectOption({ label: profile });
	await page.getByRole('button', { name: 'Plan it' }).click();
	await position(page, name).getByRole('link').click();
	await expect(page).toHaveURL(/position=/);
	const chosen = page.url();
	const id = new URL(chosen).searchParams.get('position')!;
	for (const [field, value] of Object.entries(values)) await giveValue(page, id, field, value);
	await visit(page, chosen);
	await bind(page, serial);
	await command(serial, { power: true });
	await expect(position(page, name).getByText('online')).toBeVisible({ timeout: 120_000 });
	await visit(page, site);
}

test('a rule is tried on the last week and stated; a site that goes silent is told of once, with its cause, taken care of, on the wall, ended, and quiet in its window @long', async ({
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
		await page.getByRole('button', { name: 'Add the rule' }).click();
		await expect(page.locator('[data-rule="Silent for a minute"]')).toContainText('not heard for 1 minute');
	});

	const [gateway, unit, other] = [
		await yardUnit('OG-2', '7.0.3'),
		await yardUnit('BW-8P'),
		await yardUnit('BW-8P')
	];
	const power = async (is: boolean) => {
		for (const { serial } of [gateway, unit]) await command(serial, { power: is });
	};
	await test.step('the units of two sites come online', async () => {
		await claim(page, 'Marlstone Veterinary', [gateway, unit, other].map(lineOf).join('\n'));
		await planned(page, 'Silent rooms');
		await atPosition(page, 'gw-1', 'Clinic gateway', gateway, {
			hostname: 'silent-gw-1',
			networks: '10.40.252.0/22'
		});
		await atPosition(page, 'sw-1', 'Access switch', unit, { hostname: 'silent-sw-1' });
		await planned(page, 'Loud rooms');
		await atPosition(page, 'sw-1', 'Access switch', other, { hostname: 'loud-sw-1' });
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
		await power(false);
		await visit(page, '/upkeep/events');
		const told = page.locator('[data-alert]').filter({ hasText: SILENT });
		await expect(told).toHaveCount(1, { timeout: 240_000 });
		await expect(told).toContainText('It begins at gw-1; 1 other unit with it.');
		// What hangs on it is told of with it, and not beside it
		await expect(page.locator('[data-alert]').filter({ hasText: 'Silent rooms, sw-1' })).toHaveCount(0);
		await expect(screen.locator('[data-need="Silent rooms, gw-1"]')).toContainText('not heard');
		expect(await seriousIn(screen)).toEqual([]);
		await told.getByRole('link', { name: 'Silent rooms, gw-1' }).click();
	});

	await test.step('somebody takes care of it, and notes why: it goes on all the same', async () => {
		await page.getByRole('button', { name: 'Take care of it' }).click();
		await expect(page.getByText('It is yours now.')).toBeVisible();
		await page.getByLabel('Note for whoever looks next').fill('The fuse; somebody is on the way.');
		await page.getByRole('button', { name: 'Write it down' }).click();
		await expect(page.getByText('The fuse; somebody is on the way.')).toBeVisible();
		await expect(page.getByText('it goes on')).toBeVisible();
		// What somebody takes care of needs no other person
		await expect(screen.locator('[data-need="Silent rooms, gw-1"]')).toHaveCount(0);
		await expect(screen.locator('[data-count="not heard"] .count')).not.toHaveText('0');
	});

	await test.step('it comes back: ended, by itself', async () => {
		await power(true);
		await expect(page.locator('header').getByText('was not heard, ended')).toBeVisible({ timeout: 240_000 });
	});

	await test.step('in its window it is quiet, while another site is told of; afterwards it is told', async () => {
		const alertOf = (words: string) => page.locator('[data-alert]').filter({ hasText: words });
		await openPosition(page, 'Silent rooms', 'gw-1');
		await expect(position(page, 'gw-1').getByText('online')).toBeVisible({ timeout: 60_000 });
		const site = page.url();
		await fromMenu(page, 'Windows and stance');
		await expect(page).toHaveURL(/\/upkeep\/windows/);
		const windows = page.url();
		await page.getByText('In these hours only').click();
		await page.getByRole('button', { name: 'Add hours' }).click();
		for (const day of ['Sat', 'Sun']) await page.getByLabel(day, { exact: true }).check();
		await page.getByLabel('from', { exact: true }).fill('00:00');
		await page.getByLabel(/^to/).fill('00:00');
		await page.getByRole('button', { name: 'Keep these windows' }).click();
		await expect(said(page, 'It counts from now on.')).toBeVisible();
		await power(false);
		await visit(page, site);
		for (const name of ['gw-1', 'sw-1'])
			await expect(position(page, name).getByText('not heard', { exact: true })).toBeVisible({
				timeout: 120_000
			});
		// Away for less long than the others, and told of: their turn has come and gone
		await command(other.serial, { power: false });
		await visit(page, '/upkeep/events');
		await expect(alertOf('sw-1 at Loud rooms is not heard.')).toHaveCount(1, { timeout: 240_000 });
		await expect(alertOf('Silent rooms')).toHaveCount(0);
		await visit(page, windows);
		await page.getByRole('group', { name: 'Hours 1' }).getByRole('button', { name: 'Take out' }).click();
		await page.getByRole('button', { name: 'Keep these windows' }).click();
		await expect(said(page, 'It counts from now on.')).toBeVisible();
		await visit(page, '/upkeep/events');
		await expect(alertOf(SILENT)).toHaveCount(1, { timeout: 240_000 });
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
