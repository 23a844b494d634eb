import { DEMO_PASSWORD, NOBODY } from '../help/people';
import { expect, test } from '../help/test';
import { visit } from '../help/yard';

/** At the yard's identity provider, which asks who one is. */
const chooses = (page: import('@playwright/test').Page, name: string) =>
	page.getByRole('link', { name, exact: true }).click();

test('people come in through the firm with what their groups may do, and by a password of their own beside it', async ({
	browser
}) => {
	const page = await (await browser.newContext({ storageState: NOBODY })).newPage();
	await visit(page, '/sites');
	await page.getByRole('link', { name: 'Sign in with Sallowfield Networks' }).click();
	await expect(page.getByRole('heading', { name: 'Sallowfield: who are you?' })).toBeVisible();
	await chooses(page, 'Petra Lund');
	await expect(page.getByText('none of your groups may do anything here')).toBeVisible();

	await page.getByRole('link', { name: 'Sign in with Sallowfield Networks' }).click();
	await chooses(page, 'Nobody of these');
	await expect(page.getByText('The firm’s sign-in did not let you in.')).toBeVisible();

	// Whoever was not let in is asked anew, and gets to where they wanted to go
	await page.getByRole('link', { name: 'Sign in with Sallowfield Networks' }).click();
	await chooses(page, 'Hemi Rangi');
	await expect(page).toHaveURL(/\/sites$/);
	await expect(page.getByText('Hemi Rangi').first()).toBeAttached();
	// A technician binds, and does not plan
	await expect(page.getByRole('link', { name: 'Plan a site' })).toHaveCount(0);

	// The administrator sees what they may, and gives the accounts something to read
	const administrator = await (await browser.newContext({ storageState: NOBODY })).newPage();
	await visit(administrator, '/sign-in');
	await administrator.getByLabel('E-mail address').fill('administrator@sallowfield.example');
	await administrator.getByLabel('Password', { exact: true }).fill(DEMO_PASSWORD);
	await administrator.getByRole('button', { name: 'Sign in', exact: true }).click();
	await expect(administrator).not.toHaveURL(/\/(sign-in|start)/);
	await expect(administrator.getByRole('heading', { level: 1, name: 'Sign in' })).toHaveCount(0);
	await visit(administrator, '/people/groups');
	await expect(administrator.getByRole('row', { name: /field-service technician Marlstone/ })).toBeVisible();
	await administrator.getByLabel('Group, as the provider calls it').fill('accounts');
	await administrator.getByLabel('What it may do').selectOption('reader');
	await administrator.getByLabel('At', { exact: true }).selectOption('Pippin & Loaf');
	await administrator.getByRole('button', { name: 'Map it' }).click();
	await expect(administrator.getByRole('row', { name: /accounts reader Pippin/ })).toBeVisible();

	const petra = await (await browser.newContext({ storageState: NOBODY })).newPage();
	await visit(petra, '/sign-in');
	await petra.getByRole('link', { name: 'Sign in with Sallowfield Networks' }).click();
	await chooses(petra, 'Petra Lund');
	await expect(petra.getByText('Petra Lund').first()).toBeAttached();
	await administrator.getByRole('button', { name: 'Remove reader of accounts' }).click();
	await expect(administrator.getByText('It is removed.')).toBeVisible();
});
