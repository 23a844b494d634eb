import { inRecords } from '../../programs';
import { signedInAs } from '../help/people';
import { expect, test } from '../help/test';
import { heardBy, listenerAddress, visit } from '../help/yard';

test('a webhook is made, tried, and seen to be heard; what a receiver does not take is told again by hand', async ({
	browser
}) => {
	const page = await signedInAs(browser, 'Sallowfield administrator');
	await visit(page, '/people/webhooks');
	await page.getByLabel('Name', { exact: true }).fill('Ticket desk');
	await page.getByLabel('Address').fill('https://10.0.0.1/hooks');
	await page.getByRole('button', { name: 'Make the webhook' }).click();
	await expect(page.getByText('It lies within a network that is not asked')).toBeVisible();
	await page.getByLabel('Address').fill(listenerAddress());
	await page.getByLabel('a unit came through its onboarding').uncheck();
	await page.getByRole('button', { name: 'Make the webhook' }).click();
	await expect(page.locator('[data-secret]')).toHaveText(/^[A-Za-z0-9+/]{43}=$/);

	await page.getByRole('link', { name: 'Ticket desk' }).click();
	await expect(page.getByText('Nothing has happened yet that it is told of.')).toBeVisible();
	await page.getByRole('button', { name: 'Try it' }).click();
	await expect(page.locator('[data-delivery="taken"]')).toContainText('204 after');
	await expect(page.getByText('1 taken')).toBeVisible();
	const [event] = (await heardBy()).filter(({ type }) => type === 'limen.webhook.tried');
	expect(event).toMatchObject({
		specversion: '1.0',
		data: { words: `${inRecords('Sallowfield administrator')} tries whether this is heard.` }
	});

	await page.getByRole('button', { name: 'Tell it again' }).click();
	await expect(page.locator('[data-delivery="taken"]')).toContainText('after 2 tries');
	const again = (await heardBy()).filter(({ id }) => id === event!.id);
	expect(again).toHaveLength(2);

	await page.getByLabel('Address').fill(`${listenerAddress()}-not-there`);
	await page.getByRole('button', { name: 'Change it' }).click();
	await page.getByRole('button', { name: 'Try it' }).click();
	await expect(page.getByText('It answered 404')).toHaveCount(2);
	await expect(page.getByText('not heard')).toBeVisible();
	await page.getByRole('button', { name: 'End it' }).click();
	await expect(page).toHaveURL('/people/webhooks');
	await expect(page.locator('[data-webhook="Ticket desk"]')).toHaveCount(0);
});

test('a secret that is told once is shown, though the page hears of its webhook before the answer is there', async ({
	browser
}) => {
	const [page, other] = [
		await signedInAs(browser, 'Sallowfield administrator'),
		await signedInAs(browser, 'Sallowfield administrator')
	];
	const listed = (one: typeof page) => one.locator('[data-webhook="Slow desk"]');
	await Promise.all([visit(page, '/people/webhooks'), visit(other, '/people/webhooks')]);
	await page.route('**/people/webhooks?/save', async (route) => {
		const answer = await route.fetch();
		await expect(listed(other)).toBeVisible();
		// Whatever this page had begun to load by then is there before what it asks for behind that
		for (let at = 0; at < 3; at++)
			await page.evaluate(async () => (await fetch(`${location.pathname}/__data.json`)).text());
		await route.fulfill({ response: answer });
	});
	await page.getByLabel('Name', { exact: true }).fill('Slow desk');
	await page.getByLabel('Address').fill(listenerAddress());
	await page.getByRole('button', { name: 'Make the webhook' }).click();
	await expect(page.locator('[data-secret]')).toHaveText(/^[A-Za-z0-9+/]{43}=$/);
	await expect(listed(page)).toBeVisible();
});
