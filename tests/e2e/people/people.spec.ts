import { expect, test } from '../help/test';
import { TOTP, Secret } from 'otpauth';
import { DEMO_PASSWORD, letConfirmationsPass, letterTo, linkIn, NOBODY, signedInAs } from '../help/people';
import { bind, claim, command, lineOf, openPosition, visit, yardUnit } from '../help/yard';

test('who is not signed in is asked to, and comes back to where they wanted to go', async ({ browser }) => {
	const page = await (await browser.newContext({ storageState: NOBODY })).newPage();
	await visit(page, '/sites?q=Nelson');
	await expect(page).toHaveURL(/\/sign-in\?back=/);
	await page.getByLabel('E-mail address').fill('maren.aldous@sallowfield.example');
	await page.getByLabel('Password').fill('not the right one');
	await page.getByRole('button', { name: 'Sign in' }).click();
	await expect(page.getByRole('alert')).toContainText('The e-mail address or the password is wrong');
	await page.getByLabel('Password').fill(DEMO_PASSWORD);
	await page.getByRole('button', { name: 'Sign in' }).click();
	await expect(page).toHaveURL(/\/sites\?q=Nelson/);
	await expect(page.getByRole('link', { name: 'Nelson clinic' })).toBeVisible();
	await page.getByText('Maren Aldous').click();
	await page.getByRole('button', { name: 'Sign out' }).click();
	await expect(page).toHaveURL(/\/sign-in$/);
	await page.goto('/sites');
	await expect(page).toHaveURL(/\/sign-in/);
});

test('somebody is invited by letter, comes in with a duty, turns on one-time codes and needs them @long', async ({
	browser
}) => {
	const page = await signedInAs(browser, 'Sallowfield administrator');
	const email = 'hollis.grange@southfold.example';
	await test.step('the administrator invites them as the customer’s own reader', async () => {
		await visit(page, '/people?make=invitation');
		await page.getByLabel('Name', { exact: true }).fill('Hollis Grange');
		await page.getByLabel('E-mail address').fill(email);
		await page.getByLabel('Southfold Physio').selectOption('reader');
		await page.getByRole('button', { name: 'Send invitation' }).click();
		await expect(page.getByText('The invitation is on its way')).toBeVisible();
	});
	const context = await browser.newContext({ storageState: NOBODY });
	const theirs = await context.newPage();
	await test.step('they set a password by the link, which is good once', async () => {
		const link = linkIn(await letterTo(email));
		await visit(theirs, link);
		await theirs.getByLabel('Password').fill('short');
		await theirs
			.getByLabel('Password')
			.evaluate((field: HTMLInputElement) => field.removeAttribute('minlength'));
		await theirs.getByRole('button', { name: /Set the password/ }).click();
		await expect(theirs.getByRole('alert')).toContainText('12 characters');
		await theirs.getByLabel('Password').fill('a shop in the rain');
		await theirs.getByRole('button', { name: /Set the password/ }).click();
		await expect(theirs).toHaveURL(/\/$/);
		const other = await (await browser.newContext({ storageState: NOBODY })).newPage();
		await visit(other, link);
		await expect(other.getByRole('heading', { name: 'This link is no longer valid' })).toBeVisible();
	});
	await test.step('they see their own sites and nothing that is not theirs to do', async () => {
		const rooms = theirs.getByRole('navigation', { name: 'Rooms', exact: true });
		await expect(rooms.getByRole('link')).toHaveText(['Today', 'Sites', 'Arrivals']);
		await visit(theirs, '/sites');
		await expect(theirs.getByRole('link', { name: /^\d+ in all$/ })).toBeVisible();
		await expect(theirs.getByRole('table', { name: 'Sites' })).toContainText('rooms');
		await expect(theirs.getByRole('table', { name: 'Sites' })).not.toContainText('clinic');
		await theirs.getByRole('link', { name: 'Queenstown rooms' }).click();
		await expect(theirs.getByRole('button', { name: /^Bind|Unbind/ })).toHaveCount(0);
		await expect(theirs.getByText('for the people who run the network')).toBeVisible();
		expect((await theirs.goto('/records'))!.status()).toBe(403);
		await expect(theirs.getByRole('heading', { name: 'Not for your duty' })).toBeVisible();
	});
	let secret = '';
	await test.step('they turn on one-time codes', async () => {
		await visit(theirs, '/account');
		await theirs.getByRole('button', { name: 'Set up' }).click();
		const uri = await theirs.getByText('otpauth://').textContent();
		secret = new URL(uri!.trim()).searchParams.get('secret')!;
		await theirs.getByLabel('First code').fill('000000');
		await theirs.getByRole('button', { name: 'Turn on' }).click();
		await expect(theirs.getByRole('alert')).toContainText('This code is wrong');
		await theirs.getByLabel('First code').fill(new TOTP({ secret: Secret.fromBase32(secret) }).generate());
		await theirs.getByRole('button', { name: 'Turn on' }).click();
		await expect(theirs.getByRole('list', { name: 'Recovery codes' }).getByRole('listitem')).toHaveCount(10);
	});
	await test.step('a password alone opens nothing now; a recovery code does, once', async () => {
		const [code] = await theirs
			.getByRole('list', { name: 'Recovery codes' })
			.getByRole('listitem')
			.allTextContents();
		for (const outcome of ['in', 'refused'] as const) {
			const page = await (await browser.newContext({ storageState: NOBODY })).newPage();
			await visit(page, '/sign-in');
			await page.getByLabel('E-mail address').fill(email);
			await page.getByLabel('Password').fill('a shop in the rain');
			await page.getByRole('button', { name: 'Sign in' }).click();
			await page.getByLabel('One-time code').fill(code!);
			await page.getByRole('button', { name: 'Sign in' }).click();
			if (outcome === 'in') await expect(page.getByText('Hollis Grange')).toBeVisible();
			else await expect(page.getByText('wrong, or was used before')).toBeVisible();
		}
	});
	await test.step('shut out, they are out at once, in every window', async () => {
		await visit(theirs, '/');
		await expect(theirs.getByText('Connection lost')).toHaveCount(0);
		await page.getByRole('link', { name: 'Hollis Grange' }).click();
		await expect(
			page.getByRole('listitem').filter({ hasText: 'Chromium or Chrome on Linux' })
		).not.toHaveCount(0);
		await page.getByRole('button', { name: 'Shut out' }).click();
		await page.getByRole('dialog').getByLabel('Why').fill('Left the firm');
		await page.getByRole('dialog').getByRole('button', { name: 'Go on' }).click();
		await expect(page.getByText('They are shut out')).toBeVisible();
		await expect(theirs.getByText('Connection lost')).toBeVisible();
		await theirs.goto('/sites');
		await expect(theirs).toHaveURL(/\/sign-in/);
	});
});

test('what interrupts a site asks again who it is, and names the site @long', async ({ browser, page }) => {
	const unit = await yardUnit('OG-2');
	await claim(page, 'Marlstone Veterinary', lineOf(unit));
	await openPosition(page, 'Lincoln clinic', 'gw-1');
	await bind(page, unit.serial);
	await command(unit.serial, { power: true });
	const engineer = await signedInAs(browser, 'Maren Aldous');
	await expect(page.getByText('online').first()).toBeVisible();
	await letConfirmationsPass();
	await openPosition(engineer, 'Lincoln clinic', 'gw-1');
	await engineer.getByRole('button', { name: 'Unbind' }).click();
	const question = engineer.getByRole('dialog');
	await expect(question).toContainText('It interrupts one site: Lincoln clinic');
	await expect(question.getByLabel('Why')).toBeFocused();
	await question.getByLabel('Why').fill('The clinic closes');
	await question.getByLabel('Your password').fill('wrong');
	await question.getByRole('button', { name: 'Confirm and go on' }).click();
	await expect(engineer.getByRole('dialog')).toContainText('The password is wrong');
	await expect(engineer.getByRole('dialog').getByLabel('Why')).toHaveValue('The clinic closes');
	await engineer.getByRole('dialog').getByLabel('Your password').fill(DEMO_PASSWORD);
	await engineer.getByRole('dialog').getByRole('button', { name: 'Confirm and go on' }).click();
	await expect(engineer.getByText('The position is open again')).toBeVisible();
	await test.step('within a few minutes it asks for the reason only: a secret is shown, and the ledger says so', async () => {
		await openPosition(engineer, 'Lincoln clinic', 'ap-lobby');
		await engineer.getByText('Values and where they are given').click();
		const row = engineer.getByRole('row').filter({ hasText: 'staff_secret' });
		await expect(row).toContainText('••••••');
		await row.getByRole('button', { name: 'Reveal' }).click();
		await expect(engineer.getByRole('dialog').getByLabel('Your password')).toHaveCount(0);
		await engineer.getByRole('dialog').getByLabel('Why').fill('A phone does not get on');
		await engineer.getByRole('dialog').getByRole('button', { name: 'Go on' }).click();
		await expect(row).toContainText('hayloft-lantern-otter');
		await visit(engineer, '/records?act=reveal+secret');
		await expect(engineer.getByRole('row').filter({ hasText: 'staff_secret of ap-lobby' })).toContainText(
			/Maren Aldous.*Why: A phone does not get on/s
		);
		await expect(engineer.getByText('hayloft-lantern-otter')).toHaveCount(0);
	});
	await command(unit.serial, { power: false });
});
