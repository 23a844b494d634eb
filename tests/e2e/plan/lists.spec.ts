import { expect, test } from '../help/test';
import { getDocument } from 'pdfjs-dist/legacy/build/pdf.mjs';
import { NOBODY, signedInAs } from '../help/people';
import { bind, claim, command, fromMenu, lineOf, openPosition, visit, yardUnit } from '../help/yard';

test('the list of sites is filtered, walked by keys, kept as a view, and acted on in many rows', async ({
	browser
}) => {
	const page = await signedInAs(browser, 'Ines Okafor');
	await visit(page, '/sites');
	const table = page.getByRole('table', { name: 'Sites' });
	const row = (name: string) => table.getByRole('row').filter({ hasText: name });

	await test.step('filtered as one types, sorted by a head', async () => {
		await page.getByLabel('Filter sites').fill('rimu');
		await expect(page).toHaveURL(/q=rimu/);
		await expect(page.getByRole('status').filter({ hasText: /sites$/ })).not.toContainText('64');
		await table.getByRole('link', { name: 'Place' }).click();
		await expect(table.getByRole('columnheader', { name: /Place/ })).toHaveAttribute(
			'aria-sort',
			'ascending'
		);
		await table.getByRole('link', { name: /Place/ }).click();
		await expect(page).toHaveURL(/sort=-place/);
	});

	await test.step('another column, and all of it kept under a name', async () => {
		await page.getByText('Columns', { exact: true }).click();
		await page.getByRole('checkbox', { name: 'Technician' }).check();
		await expect(table.getByRole('columnheader', { name: 'Technician' })).toBeVisible();
		await page.getByText(/^Views/).click();
		await page.getByLabel('Name of the view').fill('Rimu ones');
		await page.getByRole('button', { name: 'Keep', exact: true }).click();
		await expect(page.getByText('“Rimu ones” is kept.')).toBeVisible();
		await visit(page, '/sites');
		await page.getByText(/^Views/).click();
		await page.getByRole('link', { name: 'Rimu ones' }).click();
		await expect(page.getByLabel('Filter sites')).toHaveValue('rimu');
		await expect(table.getByRole('columnheader', { name: 'Technician' })).toBeVisible();
	});

	await test.step('two rows by keys, and somebody is sent to both', async () => {
		await visit(page, '/sites?q=clinic&columns=name,technician&sort=name');
		await expect(row('Blenheim clinic')).toBeVisible();
		await table.focus();
		await page.keyboard.press('x');
		await page.keyboard.press('j');
		await page.keyboard.press('x');
		const bar = page.getByRole('toolbar', { name: 'What to do with what is chosen' });
		await expect(bar).toContainText('2 chosen');
		await bar.getByLabel('Who goes there').selectOption({ label: 'Tobias Venn' });
		await bar.getByRole('button', { name: 'Send to 2 sites' }).click();
		await expect(bar).toBeHidden();
		await expect(row('Ashburton clinic')).toContainText('Tobias Venn');
		await expect(row('Blenheim clinic')).toContainText('Tobias Venn');
		await table.focus();
		await page.keyboard.press('Enter');
		await expect(page).toHaveURL(/\/sites\/[0-9a-f-]{36}/);
	});

	await test.step('from the top to the bottom and back, each row is there', async () => {
		await visit(page, '/sites');
		await table.focus();
		await page.keyboard.press('End');
		const last = await table.getAttribute('aria-rowcount');
		await expect(table.locator(`[aria-rowindex="${last}"] a`)).toBeVisible();
		await page.keyboard.press('Home');
		await expect(row('Alexandra Foundry')).toBeVisible();
	});
});

test('somebody on site follows their card without signing in, and it keeps up by itself @long', async ({
	browser
}) => {
	const page = await signedInAs(browser, 'Ines Okafor');
	const unit = await yardUnit('OG-2');
	await claim(page, 'Marlstone Veterinary', lineOf(unit));
	await openPosition(page, 'Motueka clinic', 'gw-1');
	await bind(page, unit.serial);
	const site = /sites\/([0-9a-f-]{36})/.exec(page.url())![1]!;
	const printed = await page.request.post('/sites/cards', {
		form: { site },
		headers: { origin: new URL(page.url()).origin }
	});
	expect(printed.headers()['content-type']).toBe('application/pdf');
	const { items } = await (
		await (await getDocument({ data: new Uint8Array(await printed.body()), verbosity: 0 }).promise).getPage(1)
	).getTextContent();
	const words = items.map((item) => ('str' in item ? item.str : '')).join('');
	const stranger = await (await browser.newContext({ storageState: NOBODY })).newPage();
	await visit(stranger, /\/progress\/[\w-]{24}/.exec(words)![0]);
	const box = stranger.locator('[data-box=gw-1]');
	await expect(box).toContainText('Plug it in');
	await expect(stranger.getByText(unit.serial)).toHaveCount(0);
	await command(unit.serial, { power: true });
	await expect(box).toContainText('It is set up and works.');
	await visit(page, `/sites/${site}`);
	await fromMenu(page, 'End the addresses of its cards');
	await expect(page.getByText('lead nowhere any more.')).toBeVisible();
	await expect(stranger.getByText('This address is not good any more.')).toBeVisible();
});
