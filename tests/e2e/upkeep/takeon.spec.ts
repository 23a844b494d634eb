import { readdirSync } from 'node:fs';
import { expect, test } from '../help/test';
import { signedInAs } from '../help/people';
import { said } from '../help/rollouts';
import { visit } from '../help/yard';

const LODGES = readdirSync('demo/lodges').map((name) => `demo/lodges/${name}`);

test('twelve lodges that somebody else configured become a profile, proved, and part of the plan @long', async ({
	browser
}) => {
	const page = await signedInAs(browser, 'Maren Aldous');
	const main = page.getByRole('main');

	await test.step('their configurations are brought, and learnt', async () => {
		await visit(page, '/profiles');
		await page.getByRole('link', { name: 'Take on what exists' }).click();
		// Those of Harrier Lodges are found by a survey, in a test of their own
		await main.getByLabel('Customer').selectOption({ label: 'Southfold Physio' });
		await main.getByLabel('Name').fill('Lodges in the south');
		await page.getByRole('button', { name: 'Begin', exact: true }).click();
		await expect(page.getByRole('heading', { level: 1, name: 'Lodges in the south' })).toBeVisible();
		await page.getByLabel('Files, one for each unit').setInputFiles(LODGES);
		await page.getByRole('button', { name: 'Bring them' }).click();
		await expect(said(page, '12 configurations added')).toBeVisible();
		await expect(page.getByText('All 12 proved')).toBeVisible();
		await expect(page.getByText('larch-gw alone has')).toBeVisible();
		await expect(page.getByText('cedar-gw has another')).toBeVisible();
		await expect(main).not.toContainText('kettle');
	});

	await test.step('what the library says already is left to it, or written out', async () => {
		const part = page.getByRole('listitem').filter({ hasText: 'Time and logging' });
		await expect(part).toContainText('time_server time.harrier.example');
		await part.getByRole('button', { name: 'Write it out instead' }).click();
		await expect(page.locator('[data-field="time_server"]')).toBeVisible();
		await expect(part).toHaveCount(0);
		await page.getByRole('button', { name: 'Take the last change back' }).click();
		await expect(part).toBeVisible();
	});

	await test.step('a field gets another name, and what follows from a site’s name is found', async () => {
		const follows = page.locator('[data-field="label"]');
		await expect(follows).toContainText('follows: location');
		await follows.getByRole('button').click();
		const dialog = page.getByRole('dialog');
		await dialog.getByLabel('Another name').fill('rooms');
		await dialog.getByRole('button', { name: 'Rename it' }).click();
		await expect(page.locator('[data-field="rooms"]')).toBeVisible();
		await page.getByRole('button', { name: 'Take the last change back' }).click();
		await expect(follows).toBeVisible();
		await expect(page.getByLabel('Site of birch-gw')).toHaveValue('Birch Lodge');
		await page.getByLabel('Position of birch-gw').fill('gateway');
		await page.getByRole('button', { name: 'Keep 1 place' }).click();
		await expect(page.locator('[data-field="location"]')).toContainText('follows: site.name');
	});

	await test.step('its profile is made and released, and all are brought into the plan', async () => {
		const takeOn = page.url();
		await page.getByRole('button', { name: 'Make the profile' }).click();
		const dialog = page.getByRole('dialog');
		await dialog.getByLabel('Name').fill('Lodge gateway');
		// A dialog that lies over the page that it leads to would take what is typed there
		const coversWhatComes = page.evaluate(
			() =>
				new Promise<boolean>((say) => {
					const look = new MutationObserver(() => {
						const heads = [...document.querySelectorAll('h1')];
						if (!heads.some(({ textContent }) => textContent.startsWith('What releasing'))) return;
						look.disconnect();
						say(document.querySelector('dialog') !== null);
					});
					look.observe(document.body, { subtree: true, childList: true });
				})
		);
		await dialog.getByRole('button', { name: 'Make it' }).click();
		expect(await coversWhatComes).toBe(false);
		await page.getByLabel('Why, or what is new').fill('Learnt');
		await page.getByRole('button', { name: 'Release revision 1' }).click();
		await expect(page.getByRole('button', { name: 'Release revision 1' })).toHaveCount(0);
		await visit(page, new URL(takeOn).pathname);
		await expect(page.getByLabel('Time zone of new sites')).toHaveValue('Pacific/Auckland');
		await page.getByRole('button', { name: 'Take all 12 on' }).click();
		await expect(page.getByText('12 of 12 in the plan')).toBeVisible();
		await page.locator('[data-unit="larch-gw"]').getByRole('link').click();
		await expect(page.getByRole('heading', { level: 1, name: 'Larch Lodge' })).toBeVisible();
		await expect(page.getByRole('list', { name: 'Positions' })).toContainText('gw');
	});
});
