import { signedInAs } from '../help/people';
import { expect, test } from '../help/test';
import { claim, lineOf, visit, yardUnit } from '../help/yard';

test('a unit is retired with a reason, is in no list any more, and found with its life when it is looked for', async ({
	browser
}) => {
	const page = await signedInAs(browser, 'Ines Okafor');
	const unit = await yardUnit('LF-6');
	await claim(page, 'Marlstone Veterinary', lineOf(unit));
	await visit(page, `/find?q=${unit.serial}`);
	await expect(page.getByRole('heading', { level: 1 })).toContainText(unit.serial);
	await page.getByRole('button', { name: 'More' }).first().click();
	await page.getByRole('link', { name: 'Its whole life' }).click();
	await expect(page.getByRole('list', { name: 'Its life' })).toContainText('taken in');
	await page.getByRole('link', { name: 'The unit', exact: true }).click();

	await page.getByRole('button', { name: 'More' }).first().click();
	await page.getByRole('button', { name: 'Retire it' }).click();
	await page.getByLabel('Why').fill('Broken on arrival');
	await page.getByRole('button', { name: 'Go on' }).click();
	await expect(page).toHaveURL(/\/units\/retired\//);
	await expect(page.getByText('Broken on arrival')).toHaveCount(2);

	await visit(page, `/units?q=${unit.serial}`);
	await expect(page.getByText(unit.serial)).toHaveCount(0);
	await visit(page, `/find?q=${unit.serial}`);
	await page.getByRole('link', { name: unit.serial }).click();
	await expect(page.getByRole('list', { name: 'Its life' })).toContainText('retire unit');
	await page
		.getByRole('navigation', { name: 'What of its life' })
		.getByRole('link', { name: 'onboarding' })
		.click();
	await expect(page.getByText('Nothing of that kind is known.')).toBeVisible();
});
