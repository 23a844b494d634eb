import { expect, test } from '../help/test';
import { signedInAs } from '../help/people';
import { fromMenu, inventory, inventoryAddress, visit } from '../help/yard';

const KEY = 'sallowfield-demo-inventory';

test('another system’s places are read, compared and taken over; both sides change one; the source fails and a person is told @long', async ({
	browser
}) => {
	const page = await signedInAs(browser, 'Ines Okafor');
	const main = page.getByRole('main');
	const record = (key: string) => main.locator(`[data-record="${key}"]`);
	const compare = async () => {
		const readings = page.getByRole('list', { name: 'Readings' }).getByRole('listitem');
		await expect(readings.first()).toBeVisible();
		const before = await readings.count();
		await page.getByRole('button', { name: 'Compare it now' }).click();
		await expect(readings).toHaveCount(before + 1);
		await expect(readings.first()).not.toContainText('being read');
	};
	await test.step('it is stated, and its columns are chosen from what it has', async () => {
		await visit(page, '/sites');
		await fromMenu(page, 'Connectors');
		await page.getByLabel('Name', { exact: true }).fill('The bakers’ inventory');
		await main.getByLabel('Customer').selectOption({ label: 'Pippin & Loaf' });
		await page.getByLabel('Address').fill(inventoryAddress());
		await page.getByLabel('Header that it wants').fill('X-Api-Key');
		await page.getByLabel('What the header holds').fill(KEY);
		await page.getByLabel('Where the list is, in JSON').fill('/places');
		await page.getByLabel('Where the next page is, in JSON').fill('/next');
		await page.getByLabel('New sites are stamped from').selectOption({ label: 'Bakery' });
		await page.getByRole('button', { name: 'Make the connector' }).click();
		await page.getByRole('button', { name: 'Look at its columns' }).click();
		await expect(page.getByLabel('What “address/city” is')).toHaveValue('locality');
		await expect(main.locator('[data-heading="contact/phone"]')).toContainText('021 555 0130');
		await page.getByRole('button', { name: 'Choose these' }).click();
		await expect(page.getByText('Its columns are chosen.')).toBeVisible();
	});

	await test.step('comparing says what would change, and why some are refused; nothing is changed', async () => {
		await compare();
		await expect(record('PL-0201')).toContainText('new');
		await expect(record('PL-0101')).toContainText('021 555 0130');
		await expect(record('PL-0204')).toContainText('An uplink is fibre, DSL or cellular.');
		await expect(record('PL-0205').first()).toContainText('stands 2 times');
		await expect(record('PL-0103')).toContainText('changed on both sides');
		await expect(record('PL-0201').getByRole('link')).toHaveCount(0);
	});

	await test.step('it is taken over, and the conflict decided', async () => {
		await page.getByRole('button', { name: 'Take over what is new or changed there' }).click();
		await expect(record('PL-0201')).toContainText('taken over');
		await expect(record('PL-0103').getByText('country')).toHaveCount(0);
		await record('PL-0103').getByRole('button', { name: 'As it is there' }).click();
		await expect(record('PL-0103')).toContainText('taken over');
		await record('PL-0201').getByRole('link').click();
		await expect(page.getByRole('heading', { level: 1, name: 'Darfield Kōwhai' })).toBeVisible();
		await expect(page.getByRole('list', { name: 'Positions' })).toContainText('rt-1');
		await page.goBack();
		await expect(record('PL-0201')).toBeVisible();
		await compare();
		await expect(main).toContainText('6 the same');
	});

	await test.step('what both sides change is asked for, and as it is here stays', async () => {
		await inventory({ change: { id: 'PL-0201', path: 'contact/phone', value: '021 555 0190' } });
		await visit(page, '/find?q=Darfield');
		await expect(page.getByRole('heading', { level: 1 })).toContainText('Darfield Kōwhai');
		await page.getByRole('link', { name: 'Edit the site' }).click();
		await page.getByLabel('Telephone').fill('021 555 0191');
		await page.getByRole('button', { name: 'Save' }).click();
		await expect(page.getByLabel('Telephone')).toHaveCount(0);
		await visit(page, '/sites/connectors');
		await main.getByRole('link', { name: 'The bakers’ inventory' }).click();
		await compare();
		await expect(record('PL-0201')).toContainText('here it is 021 555 0191, there 021 555 0190');
		await record('PL-0201').getByRole('button', { name: 'As it is here' }).click();
		await expect(record('PL-0201')).toContainText('taken over');
		await compare();
		await expect(record('PL-0201')).toHaveCount(0);
	});

	await test.step('a source that fails says why; the third time a person is told, until it is read again', async () => {
		await inventory({ fault: 'page' });
		await compare();
		await expect(main).toContainText('That is a web page');
		await inventory({ fault: 'columns' });
		await compare();
		await expect(main).toContainText('“name” is gone; there is “title”');
		await inventory({ fault: 'nothing' });
		await compare();
		await visit(page, '/');
		const told = page.getByRole('listitem').filter({ hasText: 'failed 3 times in a row' });
		await expect(told).toBeVisible();
		await told.getByRole('link', { name: 'The bakers’ inventory' }).click();
		await page.getByRole('link', { name: 'The connector' }).click();
		await inventory({ fault: 'none' });
		await compare();
		await expect(main).toContainText('6 the same');
		await visit(page, '/');
		await expect(page.getByText('times in a row')).toHaveCount(0);
	});
});
