import { expect, test, type Page } from '../help/test';
import { checkCharacter } from '../../../src/core/intake';
import { DEMO_PASSWORD, signedInAs } from '../help/people';
import { claim, openPosition, visit } from '../help/yard';

/** A label of a gateway that nobody has in the yard: what matters here is said on the telephone. */
function label(number: number) {
	const body = `OG2K${number}`;
	return { serial: body + checkCharacter(body, 'iso7064-mod-37-36'), mac: `02:0f:00:00:00:${number % 100}` };
}
const lineOf = ({ serial, mac }: ReturnType<typeof label>) => `${serial}, ${mac}, SPOKEN-CODE-1`;

/** Answers the question why, and who it is when that is asked as well. */
async function confirm(page: Page, why: string) {
	const question = page.getByRole('dialog');
	await question.getByLabel('Why').fill(why);
	const password = question.getByLabel('Your password');
	if (await password.isVisible()) await password.fill(DEMO_PASSWORD);
	await question.getByRole('button', { name: /[Gg]o on$/ }).click();
}

test('a unit is bound by what is said on the telephone, undone, and later swapped for another @long', async ({
	browser
}) => {
	const page = await signedInAs(browser, 'Ines Okafor');
	const [first, second] = [label(8_120_411), label(8_120_422)];
	await claim(page, 'Marlstone Veterinary', [first, second].map(lineOf).join('\n'));
	const spoken = first.serial.slice(-5).toLowerCase();

	await test.step('the end of the label alone is not enough for Enter; with the street it is', async () => {
		await visit(page, '/');
		await page.getByRole('link', { name: 'Bind by phone' }).click();
		const field = page.getByLabel('What you hear');
		await expect(field).toBeFocused();
		await page.keyboard.type(spoken);
		await expect(page.getByRole('list', { name: 'Likeliest pairs' }).getByRole('listitem')).toHaveCount(3);
		await expect(page.getByText('Several fit')).toBeVisible();
		await page.keyboard.type(' kaikoura');
		await expect(page.getByRole('button', { name: /\(Enter\)/ })).toBeVisible();
		await expect(page.getByRole('listitem').filter({ hasText: '(Enter)' })).toContainText(
			'Kaikōura clinic, gw-1'
		);
		await page.keyboard.press('Enter');
		await expect(page.getByTestId('check-phrase')).toHaveText(/^[a-z]+ [a-z]+ \d\d$/);
		await expect(field).toHaveValue('');
		await expect(field).toBeFocused();
	});
	const phrase = await page.getByTestId('check-phrase').innerText();

	await test.step('both sides see the same phrase; undone, both are open again', async () => {
		const technician = await signedInAs(browser, 'Tobias Venn');
		await visit(technician, `/find?q=${first.serial}`);
		await expect(technician.getByText(phrase)).toBeVisible();
		await page.getByRole('button', { name: /undo/ }).click();
		await expect(page.getByText('Both are open again')).toBeVisible();
		await page.getByLabel('What you hear').fill(`kaikoura ${spoken}`);
		await page.getByRole('button', { name: /\(Enter\)/ }).click();
		await expect(page.getByTestId('check-phrase')).toHaveText(phrase);
	});

	await test.step('what fits nowhere says so', async () => {
		await page.getByLabel('What you hear').fill('zzzz nowhere');
		await expect(page.getByRole('status').filter({ hasText: 'No claimed unit' })).toBeVisible();
	});

	await test.step('a failed unit is swapped in one act, and the record shows both', async () => {
		await openPosition(page, 'Kaikōura clinic', 'gw-1');
		await page.getByText('Swap it for another unit').click();
		await page.getByLabel(/^Serial number or MAC address/).fill(second.serial.slice(-5));
		await page
			.getByRole('button', { name: `Swap ${first.serial.slice(-4)} for ${second.serial.slice(-4)}` })
			.click();
		await expect(page.getByRole('dialog')).toContainText('Kaikōura clinic');
		await confirm(page, 'Dead after a storm');
		await expect(page.getByRole('status').filter({ hasText: 'Swapped' })).toBeVisible();
		await visit(page, `/find?q=${first.serial}`);
		await expect(page.getByText('Out of service').first()).toBeVisible();
		await expect(
			page.getByText('Out of service since').filter({ hasText: 'Dead after a storm' })
		).toBeVisible();
		await page.getByText('took over').getByRole('link').click();
		await expect(page.getByText('It took over from')).toBeVisible();
	});
});
