import { expect, test, type Page } from '../help/test';
import { signedInAs } from '../help/people';
import { begin, rows, said, standing } from '../help/rollouts';
import { giveValue } from '../help/sending';
import { planned } from '../help/sites';
import {
	bind,
	claim,
	command,
	lineOf,
	openPosition,
	visit,
	yardUnit,
	yardUnits,
	type YardUnit
} from '../help/yard';

const SITE = 'Rollout rooms';
const VERSION = '3.2.0';
const versions = async (units: readonly YardUnit[]): Promise<string[]> => {
	const all = await yardUnits();
	return units.map(({ serial }) => all.find((one) => one.serial === serial)!.version);
};

/** Three switches that are online at a site of their own. */
async function switches(page: Page): Promise<YardUnit[]> {
	const units = [await yardUnit('BW-8P'), await yardUnit('BW-8P'), await yardUnit('BW-8P')];
	await claim(page, 'Marlstone Veterinary', units.map(lineOf).join('\n'));
	await planned(page, SITE);
	const site = new URL(page.url()).pathname;
	for (const [at, unit] of units.entries()) {
		const name = `sw-${at + 1}`;
		await visit(page, site);
		if (at > 0) await page.getByText('Plan another position').click();
		await page.getByLabel('Name', { exact: true }).fill(name);
		await page.getByRole('combobox', { name: /^Profile/ }).selectOption({ label: 'Access switch' });
		await page.getByRole('button', { name: 'Plan it' }).click();
		await expect(said(page, `${name} is planned.`)).toBeVisible();
		await openPosition(page, SITE, name);
		await giveValue(page, new URL(page.url()).searchParams.get('position')!, 'hostname', `rollout-${name}`);
		await openPosition(page, SITE, name);
		await bind(page, unit.serial);
		await command(unit.serial, { power: true });
	}
	for (const name of ['sw-1', 'sw-2', 'sw-3'])
		await expect(
			page
				.getByRole('list', { name: 'Positions' })
				.getByRole('listitem')
				.filter({ hasText: name })
				.getByText('online')
		).toBeVisible();
	return units;
}

/** Plans a rollout of firmware for them in the list of units, and looks at it. */
async function plan(page: Page, units: readonly YardUnit[]): Promise<void> {
	await visit(page, `/units?q=${encodeURIComponent(SITE)}&drift=behind`);
	const table = page.getByRole('table', { name: 'Units' });
	for (const { serial } of units) await expect(table).toContainText(serial.slice(-4));
	await table.focus();
	for (const key of 'xjxjx') await page.keyboard.press(key);
	await page.getByRole('button', { name: 'firmware', exact: true }).click();
	await expect(page).toHaveURL(/\/arrivals\/rollouts\/[0-9a-f-]{36}/);
	await expect(page.getByTestId('summary')).toContainText('3 units in 2 waves');
}
test(
	'a rollout is planned, stopped because too many fail, done in waves, paused on its way, and taken back',
	{ tag: '@long' },
	async ({ browser }) => {
		const page = await signedInAs(browser, 'Maren Aldous');
		const units = await switches(page);
		const site = new URL(page.url()).pathname.split('/').pop()!;

		await test.step('an image comes, and is wanted at this site', async () => {
			await visit(page, `/upkeep/firmware?site=${site}`);
			const upload = page
				.locator('form')
				.filter({ has: page.getByRole('heading', { name: 'Upload an image' }) });
			await upload.getByLabel('Firmware line').selectOption('brackwater-bw');
			await upload.getByLabel('Version').fill(VERSION);
			await upload.getByLabel('File').setInputFiles({
				name: 'bw.bin',
				mimeType: 'application/octet-stream',
				buffer: Buffer.alloc(400_000, 'b')
			});
			await upload.getByRole('button', { name: 'Upload image' }).click();
			await expect(said(page, `brackwater-bw ${VERSION} is here.`)).toBeVisible();
			const target = page.locator('form').filter({ hasText: 'For this site.' });
			await target.getByLabel('Firmware line').selectOption('brackwater-bw');
			await target.getByLabel('Version').selectOption(VERSION);
			await target.getByRole('button', { name: 'Set it' }).click();
			await expect(said(page, 'That is kept.')).toBeVisible();
			await expect(page.getByRole('listitem').filter({ hasText: SITE })).toContainText(VERSION);
		});

		await test.step('it fails at all of them, is stopped, and changes nothing', async () => {
			for (const { serial } of units) await command(serial, { faults: ['old-release'] });
			// Who is behind is found out beside the requests
			await expect(async () => plan(page, units)).toPass();
			await begin(page);
			await standing(page, 'over');
			await expect(rows(page, 'failed')).toHaveCount(3);
			await expect(page.getByText(/^Stopped: \d of \d failed, which is more than/)).toBeVisible();
			await expect(
				page.getByText('3 BW-8P: The unit came back with the version that it ran before.')
			).toBeVisible();
			expect(await versions(units)).toEqual(['3.1.0', '3.1.0', '3.1.0']);
			for (const { serial } of units) await command(serial, { faults: [] });
		});

		await test.step('another time it is done, one after the other, and paused in between', async () => {
			await plan(page, units);
			// A cut between two waves is moved, and what was asked for stands in words too
			const cut = page.getByRole('slider', { name: 'The end of wave 1' });
			await cut.press('ArrowRight');
			await expect(page.getByLabel('Or their sizes')).toHaveValue('2, 1');
			await expect(cut).toHaveAttribute('aria-valuenow', '2');
			await page.getByLabel('In all').fill('1');
			await begin(page);
			await page.getByRole('button', { name: 'Pause' }).click();
			await standing(page, 'paused');
			await page.getByRole('button', { name: 'Go on', exact: true }).click();
			await standing(page, 'over');
			await expect(rows(page, 'done')).toHaveCount(3);
			await expect(page.getByText('Over: 3 units done, 0 failed, 0 left out.')).toBeVisible();
			expect(await versions(units)).toEqual([VERSION, VERSION, VERSION]);
		});

		await test.step('it is taken back, each to what it ran before', async () => {
			await page.getByRole('button', { name: 'Plan to go back' }).click();
			await expect(page.getByText(`3 BW-8P: ${VERSION} → 3.1.0`)).toBeVisible();
			await begin(page);
			await standing(page, 'over');
			await expect(rows(page, 'done')).toHaveCount(3);
			expect(await versions(units)).toEqual(['3.1.0', '3.1.0', '3.1.0']);
			await visit(page, '/arrivals/rollouts');
			await expect(
				page.getByRole('list', { name: 'Rollouts' }).getByText(/^Back from: Firmware 3\.2\.0/)
			).toBeVisible();
		});
	}
);
