import { expect, test } from '../help/test';
import { signedInAs } from '../help/people';
import { appoint, claim, command, lineOf, visit, yardUnit } from '../help/yard';

test('who calls without being bound is held at the door, turned away, asked again, and let in where it belongs @long', async ({
	browser
}) => {
	const page = await signedInAs(browser, 'Ines Okafor');
	const unit = await yardUnit('VT-120');
	await claim(page, 'Pippin & Loaf', lineOf(unit));
	// One open position of its kind is due now: that speaks for it
	await visit(page, '/sites?q=Winton');
	await page.getByRole('link', { name: 'Winton Rimu' }).click();
	await page.getByRole('link', { name: 'Edit the site' }).click();
	const soon = new Date(Date.now() + 30 * 60_000);
	await appoint(page, soon.toLocaleString('sv-SE', { timeZone: 'Pacific/Auckland' }).slice(0, 16));
	await page.getByRole('button', { name: 'Save the site' }).click();
	await expect(page.getByRole('link', { name: 'Edit the site' })).toBeVisible();
	await command(unit.serial, { power: true });
	await visit(page, '/arrivals');
	const caller = page.locator(`[data-caller="${unit.serial}"]`);
	await expect(caller).toContainText('Claimed, but bound to no position yet.');
	await expect(caller).toContainText('rt-1 at Winton Rimu');
	await page.getByRole('button', { name: `Turn away ${unit.serial}` }).click();
	await expect(caller).toHaveCount(0);
	await page.locator('summary').filter({ hasText: 'Turned away' }).click();
	await page.getByRole('button', { name: 'Let it ask again' }).first().click();
	await expect(caller).toBeVisible();
	await caller.getByRole('button', { name: 'Let it in there' }).click();
	await expect(caller).toHaveCount(0);
	await expect(page.locator(`[data-serial="${unit.serial}"]`)).toHaveAttribute('data-step', 'online');
	await command(unit.serial, { power: false });
});
