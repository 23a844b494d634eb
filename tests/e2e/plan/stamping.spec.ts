import { expect, test } from '../help/test';
import { signedInAs } from '../help/people';
import { appoint, fromMenu, visit } from '../help/yard';

test('forty sites are stamped from a pattern and a file, compared before it happens', async ({ browser }) => {
	const page = await signedInAs(browser, 'Ines Okafor');

	await test.step('the file is compared: forty new, nothing happened yet', async () => {
		await visit(page, '/sites');
		await page.getByRole('link', { name: 'Stamp sites' }).click();
		await page
			.getByRole('combobox', { name: /^Pattern/ })
			.selectOption({ label: 'Practice, Southfold Physio' });
		await expect(page.getByText('gw-1, ap-gym')).toBeVisible();
		await page.getByLabel(/A list of sites/).setInputFiles('demo/new-bakeries.csv');
		await page.getByRole('button', { name: 'Compare' }).click();
		await expect(page.getByRole('heading', { name: '40 new, 0 that stand and differ' })).toBeVisible();
		await expect(page.getByText('Pools give 40 values.')).toBeVisible();
	});

	await test.step('stamped, they stand with their positions and addresses', async () => {
		await page.getByRole('button', { name: 'Stamp 40 sites' }).click();
		await expect(
			page.getByRole('heading', { name: '40 sites are stamped; 40 values came from pools' })
		).toBeVisible();
		await visit(page, '/sites?q=Christchurch Kererū');
		await page.getByRole('link', { name: 'Christchurch Kererū' }).click();
		await expect(page.locator('[data-position]')).toHaveCount(2);
		await expect(page.getByRole('list', { name: 'What is missing' })).toContainText(
			'There is no appointment.'
		);
		await expect(page.getByText('“site_number”')).toHaveCount(0);
	});

	await test.step('the same file again changes nothing, and says so', async () => {
		await visit(page, '/sites/stamp');
		await page
			.getByRole('combobox', { name: /^Pattern/ })
			.selectOption({ label: 'Practice, Southfold Physio' });
		await expect(page.getByText('gw-1, ap-gym')).toBeVisible();
		await page.getByLabel(/A list of sites/).setInputFiles('demo/new-bakeries.csv');
		await page.getByRole('button', { name: 'Compare' }).click();
		await expect(
			page.getByRole('heading', { name: '0 new, 0 that stand and differ, 40 as they are' })
		).toBeVisible();
		await expect(page.getByRole('button', { name: /^Stamp 0/ })).toBeDisabled();
	});

	await test.step('a list with a fault says at which line, and what heading was perhaps meant', async () => {
		await page.getByLabel('or pasted').fill('site,latitud,uplink\nNew Shop,-44,fibre\nOther Shop,-44,smoke');
		await page.getByLabel(/A list of sites/).setInputFiles([]);
		await page.getByRole('button', { name: 'Compare' }).click();
		await expect(page.getByText('“latitud” (perhaps “latitude”?)')).toBeVisible();
		await expect(page.locator('[data-verdict=wrong]')).toContainText('An uplink is fibre, DSL or cellular.');
		await expect(page.getByRole('button', { name: 'Stamp 1 site' })).toBeEnabled();
	});
});

test('a pattern is changed, and who follows it is chosen', async ({ browser }) => {
	const page = await signedInAs(browser, 'Ines Okafor');
	await visit(page, '/sites/patterns');
	await page.getByRole('link', { name: 'Clinic', exact: true }).click();
	await page.getByRole('button', { name: 'Add a position' }).click();
	await page.getByLabel('Position', { exact: true }).last().fill('ap-pool');
	await page
		.getByRole('combobox', { name: /^Profile/ })
		.last()
		.selectOption({ label: 'Indoor access point (access point)' });
	await page.getByRole('button', { name: 'Save the pattern' }).click();
	await expect(page.getByText('24 of 24 sites differ from the pattern')).toBeVisible();
	await page.getByLabel('Let Nelson clinic follow').uncheck();
	await page.getByRole('button', { name: 'Let 23 sites follow' }).click();
	await expect(page.getByText('23 sites follow it now: 23 changes.')).toBeVisible();
	await expect(page.getByText('1 of 24 sites differ from the pattern')).toBeVisible();
});

test('a site is planned by hand, and what is missing goes away as it is given', async ({ browser }) => {
	const page = await signedInAs(browser, 'Ines Okafor');
	await visit(page, '/sites/new');
	await page
		.getByRole('combobox', { name: /^Customer/ })
		.last()
		.selectOption({ label: 'Marlstone Veterinary' });
	await page.getByLabel('Site', { exact: true }).fill('Cromwell clinic');
	await page.getByLabel('Pattern', { exact: true }).selectOption('none');
	await appoint(page, '2026-09-27 02:30');
	await page.getByRole('button', { name: 'Plan the site' }).click();
	await expect(page.getByRole('alert')).toContainText('that time is skipped or comes twice');
	await expect(page.getByLabel('Site', { exact: true })).toHaveValue('Cromwell clinic');
	await appoint(page, '2027-01-12 09:30');
	await page.getByRole('button', { name: 'Plan the site' }).click();
	const missing = page.getByRole('list', { name: 'What is missing' });
	await expect(missing).toContainText('Nobody is named to go there.');
	await expect(missing).toContainText('No position is planned.');

	await page.getByLabel('Name', { exact: true }).fill('gw-1');
	await page.getByRole('combobox', { name: /^Profile/ }).selectOption({ label: 'Clinic gateway' });
	await page.getByRole('button', { name: 'Plan it' }).click();
	await expect(page.locator('[data-position=gw-1]')).toBeVisible();
	await expect(missing).not.toContainText('No position is planned.');

	await page.getByRole('link', { name: 'Edit the site' }).click();
	await page.getByRole('combobox', { name: /^Technician/ }).selectOption({ label: 'Tobias Venn' });
	await page.getByLabel('Latitude').fill('-45.04');
	await page.getByLabel('Longitude').fill('169.2');
	await page.getByLabel('Contact').fill('Ari Tamihana');
	await page.getByLabel('Telephone').fill('021 555 0177');
	await page.getByRole('button', { name: 'Save the site' }).click();
	await expect(missing).not.toContainText('Nobody is named');
	await expect(page.getByText('Ari Tamihana')).toBeVisible();
	await expect(page.getByRole('link', { name: '021 555 0177' })).toHaveAttribute('href', 'tel:0215550177');
	await fromMenu(page, 'Show it on the map');
	await expect(page.getByRole('link', { name: 'Cromwell clinic, open' })).toBeVisible();
});

test('who types on while another choice is read loses neither their place nor a letter', async ({
	browser
}) => {
	const page = await signedInAs(browser, 'Ines Okafor');
	await visit(page, '/sites/new');
	let answer = (): void => undefined;
	const held = new Promise<void>((resolve) => (answer = resolve));
	await page.route(/\/sites\/new\/__data\.json/, async (route) => {
		await held;
		await route.continue();
	});
	const name = page.getByLabel('Site', { exact: true });
	await page
		.getByRole('combobox', { name: /^Customer/ })
		.last()
		.selectOption({ label: 'Marlstone Veterinary' });
	await expect(page.getByRole('button', { name: 'Reading what it needs …' })).toBeVisible();
	await name.pressSequentially('Crom');
	const before = await page.evaluate(() => {
		scrollTo(0, 120);
		return scrollY;
	});
	expect(before).toBeGreaterThan(0);
	answer();
	await expect(page).toHaveURL(/customer=/);
	await expect(page.getByRole('button', { name: 'Plan the site' })).toBeVisible();
	await expect(name).toBeFocused();
	await page.keyboard.type('well');
	await expect(name).toHaveValue('Cromwell');
	expect(await page.evaluate(() => scrollY)).toBe(before);
	// Somewhere else is asked for first, once
	let asked = 0;
	page.on('dialog', (dialog) => {
		asked++;
		void (asked === 1 ? dialog.dismiss() : dialog.accept());
	});
	await page.getByRole('link', { name: 'Stamp them from a pattern' }).click();
	await expect.poll(() => asked).toBe(1);
	await expect(name).toHaveValue('Cromwell');
	await page.getByRole('link', { name: 'Stamp them from a pattern' }).click();
	await expect(page).toHaveURL(/\/sites\/stamp/);
	expect(asked).toBe(2);
});
