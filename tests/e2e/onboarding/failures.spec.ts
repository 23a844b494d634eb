import { expect, test } from '../help/test';
import { signedInAs } from '../help/people';
import { bind, claim, command, lineOf, openPosition, visit, yardUnit } from '../help/yard';

test('failures that are the same are opened at their line, and let try again together @long', async ({
	browser
}) => {
	const page = await signedInAs(browser, 'Maren Aldous');
	const units = [await yardUnit('VT-120'), await yardUnit('VT-120')] as const;
	await claim(page, 'Pippin & Loaf', units.map(lineOf).join('\n'));
	for (const [index, site] of ['Alexandra Foundry', 'Mosgiel Market'].entries()) {
		await openPosition(page, site, 'rt-1');
		await bind(page, units[index]!.serial);
		await command(units[index]!.serial, { faults: ['rejected-line'], power: true });
	}

	await visit(page, '/arrivals');
	const group = page.getByRole('list', { name: 'Failed in the same way' }).getByRole('listitem').first();
	await expect(group).toContainText(
		/failed at configuration: same line of Time and logging revision \d+, line \d+/
	);
	for (const { serial } of units)
		await expect(page.locator(`[data-serial="${serial}"]`)).toContainText('failed at configuration');
	await expect(group).toContainText(/at [2-9] sites/);

	await test.step('one act leads to the line', async () => {
		await group.getByRole('link', { name: 'Open the line' }).click();
		await expect(page.getByRole('heading', { level: 1, name: 'Time and logging' })).toBeVisible();
		await expect(page.locator('.cm-lintRange-error').first()).toBeVisible();
	});

	await test.step('one act lets all of them try again', async () => {
		for (const { serial } of units) await command(serial, { faults: [] });
		await visit(page, '/arrivals');
		await group.getByRole('button', { name: /^Let all \d+ try again$/ }).click();
		await expect(page.getByText(/units may try again/).first()).toBeVisible();
		for (const { serial } of units) {
			await visit(page, `/find?q=${serial}`);
			await expect(page.getByText('connected now')).toBeVisible();
		}
	});
});

test('what a silent unit lacks is found on the telephone, and by whoever holds the card @long', async ({
	browser
}) => {
	const page = await signedInAs(browser, 'Ines Okafor');
	const unit = await yardUnit('LF-6');
	await claim(page, 'Pippin & Loaf', lineOf(unit));
	await openPosition(page, 'Mosgiel Market', 'ap-shop');
	await bind(page, unit.serial);
	await visit(page, `/find?q=${unit.serial}`);
	const questions = page.locator('#questions');
	await expect(questions.getByRole('form', { name: 'What does its light do?' })).toBeVisible();
	await questions.getByRole('button', { name: 'No light at all' }).click();
	await expect(questions).toContainText('It has no power, most likely.');
	await expect(questions.getByRole('list', { name: 'Answered so far' })).toContainText('No light at all');
	// It stands in the story of the unit
	await expect(page.getByText('What does its light do? No light at all.')).toBeVisible();

	await command(unit.serial, { power: true });
	await expect(page.getByText('connected now')).toBeVisible();
	await expect(questions).toHaveCount(0);
	await expect(page.getByRole('heading', { name: 'How long its steps took' })).toBeVisible();
});
