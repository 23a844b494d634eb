import { expect, test } from '../help/test';
import { DEMO_PASSWORD, signedInAs } from '../help/people';
import { begin, plan, planned } from '../help/sites';
import { openPosition, visit } from '../help/yard';

test('a connection that is lost while a form is sent loses nothing', async ({ browser }) => {
	const page = await signedInAs(browser, 'Ines Okafor');
	await begin(page, 'Lost line rooms');
	await page.context().setOffline(true);
	await plan(page).click();
	await expect(page.getByRole('alert').filter({ hasText: 'Limen cannot be reached just now' })).toBeVisible();
	await expect(page.getByLabel('Street', { exact: true })).toHaveValue('8 Main Road');
	await page.context().setOffline(false);
	await plan(page).click();
	await expect(page.getByRole('heading', { level: 1, name: 'Lost line rooms' })).toBeVisible();
});

test('who was signed out while typing signs in again in place, and it goes on', async ({ browser }) => {
	const page = await signedInAs(browser, 'Ines Okafor');
	await begin(page, 'Signed out rooms');
	await page.context().clearCookies({ name: 'limen_session' });
	await plan(page).click();
	const dialog = page.getByRole('dialog');
	await expect(dialog).toContainText('Nothing that you typed is lost');
	await dialog.getByLabel('E-mail address').fill('ines.okafor@sallowfield.example');
	await dialog.getByLabel('Password').fill('a wrong one, first');
	await dialog.getByRole('button', { name: 'Sign in and go on' }).click();
	await expect(dialog.getByRole('alert')).toBeVisible();
	await dialog.getByLabel('Password').fill(DEMO_PASSWORD);
	await dialog.getByRole('button', { name: 'Sign in and go on' }).click();
	await expect(page.getByRole('heading', { level: 1, name: 'Signed out rooms' })).toBeVisible();
});

test('what is wrong is said beside its field, and leaving unsaved work asks first', async ({ browser }) => {
	const page = await signedInAs(browser, 'Ines Okafor');
	await begin(page, 'Far away rooms');
	await page.getByLabel('Latitude').fill('441.2');
	await page.getByLabel('Longitude').fill('170');
	await plan(page).click();
	await expect(page.getByLabel('Latitude')).toHaveAttribute('aria-invalid', 'true');
	await expect(page.getByLabel('Latitude')).toBeFocused();
	const asked: string[] = [];
	page.on('dialog', (dialog) => {
		asked.push(dialog.message());
		void dialog.dismiss();
	});
	await page
		.getByRole('navigation', { name: 'Rooms', exact: true })
		.getByRole('link', { name: 'Intake' })
		.click();
	await expect.poll(() => asked).toEqual(['What you typed here is not saved. Leave it?']);
	await expect(page.getByLabel('Site', { exact: true })).toHaveValue('Far away rooms');
});

test('a double click plans one position', async ({ browser }) => {
	const page = await signedInAs(browser, 'Ines Okafor');
	await openPosition(page, 'Ōamaru clinic', 'gw-1');
	await page.getByText('Plan another position').click();
	await page.getByLabel('Name', { exact: true }).fill('ap-twice');
	await page.getByRole('combobox', { name: /^Profile/ }).selectOption({ label: 'Indoor access point' });
	await page.getByRole('button', { name: 'Plan it' }).dblclick();
	await expect(page.getByRole('status').filter({ hasText: 'ap-twice is planned.' })).toBeVisible();
	await expect(page.getByRole('alert')).toHaveCount(0);
	await expect(page.locator('[data-position=ap-twice]')).toHaveCount(1);
});

test('on a slow network a second click and the back button plan nothing twice', async ({ browser }) => {
	const page = await signedInAs(browser, 'Ines Okafor');
	await begin(page, 'Slow line rooms');
	let sent = 0;
	let letThrough = () => {};
	const held = new Promise<void>((resolve) => (letThrough = resolve));
	await page.route('**/sites/new?/plan', async (route) => {
		sent++;
		await held;
		await route.continue();
	});
	await plan(page).click();
	await page.getByLabel('Street', { exact: true }).press('Enter');
	await expect.poll(() => sent).toBe(1);
	letThrough();
	await expect(page.getByRole('heading', { level: 1, name: 'Slow line rooms' })).toBeVisible();
	await page.goBack();
	await expect(page.getByRole('heading', { level: 1, name: 'Plan a site' })).toBeVisible();
	expect(sent).toBe(1);
	await visit(page, '/sites?q=Slow+line+rooms');
	await expect(page.getByRole('link', { name: 'Slow line rooms' })).toHaveCount(1);
});

test('a click does not miss a button that moves, because what was chosen is still being read', async ({
	browser
}) => {
	const page = await signedInAs(browser, 'Ines Okafor');
	await visit(page, '/sites/new');
	await page
		.getByRole('combobox', { name: /^Customer/ })
		.last()
		.selectOption({ label: 'Marlstone Veterinary' });
	await expect(page.getByRole('group', { name: 'Values' })).toBeVisible();
	await page.getByLabel('Site', { exact: true }).fill('Moving rooms');
	let letThrough = () => {};
	const held = new Promise<void>((resolve) => (letThrough = resolve));
	await page.route('**/sites/new/__data.json?*', async (route) => {
		await held;
		await route.continue();
	});
	await page.getByLabel('Pattern', { exact: true }).selectOption('none');
	await expect(page.getByRole('button', { name: 'Reading what it needs …' })).toBeDisabled();
	letThrough();
	await plan(page).click();
	await expect(page.getByRole('heading', { level: 1, name: 'Moving rooms' })).toBeVisible();
});

test('of two tabs that change one site the second is told, and keeps what it typed', async ({ browser }) => {
	const first = await signedInAs(browser, 'Ines Okafor');
	await planned(first, 'Two tabs rooms');
	const second = await first.context().newPage();
	await visit(second, new URL(first.url()).pathname);
	for (const page of [first, second]) await page.getByRole('link', { name: 'Edit the site' }).click();
	await first.getByLabel('Street', { exact: true }).fill('10 Mill Lane');
	await second.getByLabel('Street', { exact: true }).fill('12 Mill Lane');
	await first.getByRole('button', { name: 'Save', exact: false }).click();
	await expect(first.getByText('10 Mill Lane').first()).toBeVisible();
	await second.getByRole('button', { name: 'Save', exact: false }).click();
	await expect(second.getByRole('alert')).toContainText('Somebody');
	await expect(second.getByLabel('Street', { exact: true })).toHaveValue('12 Mill Lane');
});

test('a form that is sent before its scripts have come does what it says', async ({ browser }) => {
	const page = await signedInAs(browser, 'Ines Okafor');
	const bare = await browser.newContext({
		javaScriptEnabled: false,
		storageState: await page.context().storageState()
	});
	const form = await bare.newPage();
	await form.goto('/sites/new');
	await form.getByLabel('Pattern', { exact: true }).selectOption('none');
	await form.getByLabel('Site', { exact: true }).fill('No script rooms');
	await form.getByLabel('Latitude').fill('441.2');
	await form.getByLabel('Longitude').fill('170');
	await plan(form).click();
	await expect(form.getByLabel('Site', { exact: true })).toHaveValue('No script rooms');
	await form.getByLabel('Latitude').fill('-44.2');
	await form.getByLabel('Longitude').fill('170');
	await plan(form).click();
	await expect(form.getByRole('heading', { level: 1, name: 'No script rooms' })).toBeVisible();
	await bare.close();
});
