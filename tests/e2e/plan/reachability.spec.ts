import { expect, test, type Page } from '../help/test';
import { signedInAs } from '../help/people';
import { giveValue, sendAfterLooking, toSendPage } from '../help/sending';
import { bind, claim, command, lineOf, openPosition, visit, yardUnit } from '../help/yard';

const [NEAR, FAR] = ['Ōamaru clinic', 'Christchurch clinic'] as const;
const positionIn = (page: Page) => new URL(page.url()).searchParams.get('position')!;

test('who reaches whom, and the moment when a path goes from the hub to the direct way @long', async ({
	browser
}) => {
	const page = await signedInAs(browser, 'Maren Aldous');
	const units = [await yardUnit('OG-2'), await yardUnit('OG-2')] as const;
	await claim(page, 'Marlstone Veterinary', units.map(lineOf).join('\n'));

	await test.step('two sites come online, one with an address that is reached from outside', async () => {
		await openPosition(page, NEAR, 'gw-1');
		const near = positionIn(page);
		for (const [field, value] of [
			['uplink_address', '198.51.100.20/24'],
			['uplink_gateway', '198.51.100.1'],
			['outside_address', '198.51.100.20']
		] as const)
			await giveValue(page, near, field, value);
		await openPosition(page, NEAR, 'gw-1');
		await bind(page, units[0].serial);
		await openPosition(page, FAR, 'gw-1');
		await bind(page, units[1].serial);
		for (const { serial } of units) await command(serial, { power: true });
		for (const { serial } of units) {
			await visit(page, `/find?q=${serial}`);
			await expect(page.getByText('running equals intended').first()).toBeVisible();
		}
	});

	await test.step('they reach each other by way of the hub, as planned', async () => {
		await visit(page, '/sites/reachability?show=table&path=hub');
		await page
			.getByRole('main')
			.getByRole('combobox', { name: /^Customer/ })
			.selectOption({ label: 'Marlstone Veterinary' });
		await page.getByLabel('Filter pairs').fill(NEAR);
		const row = page.getByRole('row').filter({ hasText: FAR }).first();
		await expect(row).toContainText('by way of the hub');
		await page.getByRole('link', { name: 'Matrix' }).click();
		const matrix = page.getByRole('application', { name: /^Who reaches whom/ });
		await matrix.focus();
		await page.keyboard.press('ArrowDown');
		await expect(page.getByText(/ to .*there and back, looked at/)).toBeVisible();
	});

	await test.step('a tunnel between them is planned and sent to both ends', async () => {
		await visit(page, '/addresses/tunnels');
		await page.getByRole('link', { name: 'Plan a tunnel' }).click();
		await page
			.getByRole('main')
			.getByRole('combobox', { name: /^Customer/ })
			.selectOption({ label: 'Marlstone Veterinary' });
		await expect(page.getByLabel('From', { exact: true })).toContainText(NEAR);
		await page.getByLabel('From', { exact: true }).selectOption({ label: `${FAR}, gw-1` });
		await page.getByLabel('To', { exact: true }).selectOption({ label: `${NEAR}, gw-1` });
		await page.getByRole('button', { name: 'Plan it' }).click();
		await expect(page.getByRole('status').filter({ hasText: 'is planned' })).toBeVisible();
		for (const { serial } of units) {
			await toSendPage(page, serial);
			await sendAfterLooking(page, 'christchurch-clinic-2');
			await expect(page.getByText('It runs what it should.')).toBeVisible();
		}
	});

	await test.step('the page of the two shows the change as it comes', async () => {
		await visit(page, '/sites/reachability');
		await page
			.getByRole('main')
			.getByRole('combobox', { name: /^Customer/ })
			.selectOption({ label: 'Marlstone Veterinary' });
		const change = page
			.getByRole('listitem')
			.filter({ hasText: `${FAR} to ${NEAR}` })
			.filter({ hasText: 'by way of the hub, now directly' });
		await expect(change).toBeVisible();
		await change.getByRole('link').click();
		await expect(page.getByRole('heading', { level: 1, name: `${FAR} and ${NEAR}` })).toBeVisible();
		await expect(page.getByText('Directly.').first()).toBeVisible();
	});
});
