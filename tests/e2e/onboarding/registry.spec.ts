import { expect, test, type Page } from '../help/test';
import { checkCharacter } from '../../../src/core/intake';
import { signedInAs } from '../help/people';
import { claim, visit } from '../help/yard';

const YARD = `http://127.0.0.1:${process.env.LIMEN_YARD_PORT}`;
function label(number: number) {
	const body = `OG2K${number}`;
	return { serial: body + checkCharacter(body, 'iso7064-mod-37-36'), mac: `02:0e:00:00:00:${number % 100}` };
}
const misbehave = (page: Page, faults: readonly string[]) =>
	page.request.post(`${YARD}/registries/okapira`, { data: { faults } });

test('units wait while the maker’s registry is down, and say so; what it refuses comes back', async ({
	browser
}) => {
	const page = await signedInAs(browser, 'Ines Okafor');
	const [ours, theirs] = [label(7_310_411), label(7_310_422)];
	// Another firm has claimed one of them before
	await page.request.post(`${YARD}/registry/okapira/claims`, {
		data: {
			account: 'northgate',
			bootstrapServer: 'https://elsewhere.example',
			units: [{ serial: theirs.serial, mac: null, claimCode: 'REGISTRY-1' }]
		}
	});
	await misbehave(page, ['failing']);
	const rows = page.locator('tr[data-verdict]');
	const waiting = page.getByRole('list', { name: 'Asked of the makers' });

	await test.step('while it is down nothing is lost', async () => {
		await claim(
			page,
			'Marlstone Veterinary',
			[ours, theirs].map(({ serial, mac }) => `${serial}, ${mac}, REGISTRY-1`).join('\n')
		);
		await expect(waiting).toContainText('It answers with error 503.');
		await expect(rows.filter({ hasText: 'the registry is asked' })).toHaveCount(2);
	});

	await test.step('once it is back each row tells its own, without loading the page again', async () => {
		await misbehave(page, []);
		await expect(waiting).toBeHidden();
		await expect(rows.filter({ hasText: ours.serial.slice(-4) })).toHaveAttribute('data-verdict', 'claimed');
		await expect(rows.filter({ hasText: theirs.serial.slice(-4) })).toHaveAttribute(
			'data-verdict',
			'registry-refused'
		);
		await expect(page.getByRole('list', { name: 'Refused by the makers' })).toContainText(
			'belongs to another account'
		);
	});

	await test.step('released there, it is asked for again and is ours', async () => {
		await page.request.post(`${YARD}/registry/okapira/releases`, {
			data: { account: 'northgate', units: [{ serial: theirs.serial }] }
		});
		await page.getByLabel(`Claim code of ${theirs.serial}`).fill('REGISTRY-1');
		await page.getByRole('button', { name: 'Ask again' }).click();
		await expect(page.getByRole('list', { name: 'Refused by the makers' })).toBeHidden();
		await visit(page, `/find?q=${theirs.serial}`);
		await expect(page.getByText('Not ours.')).toHaveCount(0);
	});
});

test('a row that cannot be read waits in its batch until it is mended; what is typed outlives what happens meanwhile', async ({
	browser
}) => {
	const page = await signedInAs(browser, 'Ines Okafor');
	const [unit, good] = [label(7_310_433), label(7_310_434)];
	await misbehave(page, ['failing']);
	await visit(page, '/intake');
	await page.getByRole('combobox', { name: 'For' }).selectOption({ label: 'Marlstone Veterinary' });
	await page
		.getByLabel(/^Units, one a line/)
		.fill(`${unit.serial.slice(0, -1)}?, ${unit.mac}, REGISTRY-2\n${good.serial}, ${good.mac}, REGISTRY-3`);
	await page.getByRole('button', { name: 'Claim 2 lines' }).click();
	await expect(page.locator('tr[data-verdict=malformed]')).toBeVisible();
	// Somebody goes away and comes back another day
	await visit(page, '/');
	await visit(page, '/intake');
	await page.getByRole('list', { name: 'Rows to mend' }).getByRole('link').first().click();
	const row = page.getByLabel('Row of line 1');
	await expect(row).toHaveValue(/REGISTRY-2/);
	const typed = `${unit.serial}, ${unit.mac}, REGISTRY-2`;
	await row.fill(typed);
	const shown = (verdict: string) => page.locator(`tr[data-verdict=${verdict}]`);
	await expect(shown('asked')).toBeVisible();
	await misbehave(page, []);
	await expect(shown('claimed')).toBeVisible();
	await expect(row).toHaveValue(typed);
	await page.getByRole('button', { name: 'Take it in' }).click();
	await expect(page.getByText(`${unit.serial} is taken in.`)).toBeVisible();
	// It is one row still, and now a unit's
	await expect(page.locator('tr[data-verdict]')).toHaveCount(2);
	await expect(shown('malformed')).toHaveCount(0);
});
