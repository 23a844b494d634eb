import { inRecords } from '../../programs';
import { readFile } from 'node:fs/promises';
import { expect, test, type Page } from '../help/test';
import Papa from 'papaparse';
import { signedInAs } from '../help/people';
import { impact, release, saveDraft } from '../help/profile-acts';
import { bind, claim, command, lineOf, openPosition, visit, yardUnit } from '../help/yard';

const SITE = 'Rolleston clinic';
const PROFILE = 'Counter gateway';

const inSheet = (page: Page, field: string) => page.getByLabel(field, { exact: true });
const openProfile = async (page: Page) => {
	await visit(page, '/profiles');
	await page.getByRole('link', { name: PROFILE }).click();
	await expect(page.getByRole('heading', { name: PROFILE, level: 1 })).toBeVisible();
};
const sheetOf = async (page: Page) => {
	await visit(page, '/values');
	await page.getByLabel(/^Profile/).selectOption({ label: PROFILE });
	// The sheet that was there before can have one position as well
	await expect(page).toHaveURL(/profile=/);
	await expect(page.getByRole('grid', { name: 'Values' })).toBeVisible();
	await expect(page.getByText('1 position;')).toBeVisible();
};
/** Types into the cell of a field in the first row, as at a spreadsheet. */
async function type(page: Page, field: string, text: string) {
	await expect(page.getByRole('columnheader').filter({ hasText: field })).toBeVisible();
	const heads = await page.getByRole('columnheader').allTextContents();
	const column = heads.findIndex((head) => head.trim().startsWith(field)) - 2;
	await page.getByRole('grid', { name: 'Values' }).focus();
	await page.keyboard.press('Control+Home');
	for (let step = 0; step < column; step++) await page.keyboard.press('ArrowRight');
	await page.keyboard.type(text);
	await page.keyboard.press('Enter');
}
async function saveSheet(page: Page) {
	await page.getByRole('button', { name: /^Save \d/ }).click();
	await expect(page.getByRole('status').filter({ hasText: 'saved' })).toBeVisible();
}

test('an engineer’s whole path: questions, parts, sheet, preview, release, a unit, and the three later changes @long', async ({
	browser
}) => {
	const page = await signedInAs(browser, 'Maren Aldous');
	page.setDefaultTimeout(20_000);
	page.on('dialog', (dialog) => void dialog.accept());

	await test.step('a draft comes out of a few answers, with what is necessary marked', async () => {
		await visit(page, '/profiles/begin');
		await page.getByLabel('Name', { exact: true }).fill(PROFILE);
		await page.getByLabel('gateway').check();
		await page.getByLabel('over cellular').check();
		const parts = page.getByRole('list', { name: 'Parts of the draft' });
		await expect(parts).toContainText('Uplink, cellular');
		await page.getByLabel('over fibre').check();
		await expect(parts.getByRole('listitem').filter({ hasText: 'Uplink, fibre' })).toContainText('necessary');
		await expect(parts.getByRole('listitem').filter({ hasText: 'Guest network' })).toContainText(
			'good practice'
		);
		await expect(page.getByText('OG-2')).toBeVisible();
		await page.getByRole('button', { name: 'Begin the draft' }).click();
		await expect(page.getByRole('heading', { name: PROFILE, level: 1 })).toBeVisible();
		await expect(page.getByRole('list', { name: 'Models it serves' })).toContainText('OG-8 served');
	});

	await test.step('values are given where they belong, and what is wrong is said as it is typed', async () => {
		await page.getByRole('tab', { name: 'Values' }).click();
		await inSheet(page, 'name_server').fill('192.0.2.300');
		await expect(page.getByRole('alert').filter({ hasText: 'is no address' })).toBeVisible();
		await inSheet(page, 'name_server').fill('192.0.2.53');
		await inSheet(page, 'time_server').fill('time.sallowfield.example');
		await inSheet(page, 'guest_vlan').fill('30');
		await saveDraft(page);
		expect(await release(page, 'First of its kind')).toContain('0 positions would change');
	});

	await test.step('a part is made of a configuration that is right, by marking what differs', async () => {
		await visit(page, '/profiles/parts/from-text');
		await page.getByLabel('Dialect').selectOption('braced');
		const editor = page.getByRole('textbox', { name: 'Configuration' });
		await editor.click();
		await page.keyboard.insertText('lane counters {\n\ttag 40;\n}\nrules counters {\n\tpermit vlan 40;\n}\n');
		for (const key of ['Control+Home', 'ArrowDown', 'End', 'ArrowLeft', 'Shift+ArrowLeft', 'Shift+ArrowLeft'])
			await page.keyboard.press(key);
		const panel = page.getByRole('region', { name: 'Mark a field' });
		await expect(panel).toContainText('40, vlan, stands 2 times');
		await panel.getByLabel('Field', { exact: true }).fill('counter_vlan');
		await panel.getByRole('button', { name: 'Make it a field' }).click();
		await expect(editor).toContainText('permit vlan {{ counter_vlan }};');
		await page.getByLabel('Name of the part').fill('Counters');
		await page.getByRole('button', { name: 'Begin the part with it' }).click();
		await expect(page.getByRole('heading', { name: 'Counters', level: 1 })).toBeVisible();
		await page.getByLabel(/^Why, or what is new/).fill('For shops with counters');
		await page.getByRole('button', { name: 'Release revision 1' }).click();
		await expect(page.getByRole('status').filter({ hasText: 'Released' })).toBeVisible();
	});

	await test.step('a position follows the profile, and what it lacks is listed with where to give it', async () => {
		await openPosition(page, SITE, 'gw-1');
		await page.getByLabel('Follow another profile').selectOption({ label: PROFILE });
		await page.getByRole('button', { name: 'Follow it' }).click();
		await expect(page.getByRole('status').filter({ hasText: 'Nothing was sent' })).toBeVisible();
		await openProfile(page);
		await page.getByLabel('Part to add').selectOption({ label: 'Counters (braced)' });
		await page.getByRole('button', { name: 'Add part' }).click();
		await saveDraft(page);
		await page.getByRole('link', { name: 'What releasing it changes' }).click();
		expect(await impact(page)).toContain('1 could not be computed any more');
		await expect(page.locator('[data-group="broken"]')).toContainText('“counter_vlan” has no value');
		await page.getByLabel(/^Why, or what is new/).fill('Counters get their own network');
		await page.getByRole('button', { name: 'Release revision 2' }).click();
		await expect(page.getByText('in force')).toBeVisible();
		await openPosition(page, SITE, 'gw-1');
		await expect(page.getByRole('alert').filter({ hasText: '“counter_vlan” has no value' })).toBeVisible();
		await page.getByRole('link', { name: 'Give it at the site' }).click();
		await expect(page.getByTestId('cell-words')).toContainText('counter_vlan');
	});

	await test.step('the sheet goes out, is filled in, and shows what it would change before it does', async () => {
		await sheetOf(page);
		const waiting = page.waitForEvent('download');
		await page.getByRole('button', { name: 'More', exact: true }).first().click();
		await page.getByRole('link', { name: 'Download as CSV' }).click();
		const text = (await readFile(await (await waiting).path(), 'utf8')).replace(/^\uFEFF/, '');
		const [head, meaning, row] = Papa.parse<string[]>(text, { delimiter: ',' }).data as [
			string[],
			string[],
			string[]
		];
		expect(head).toEqual(
			expect.arrayContaining(['site', 'position', 'hostname', 'networks', 'counter_vlan'])
		);
		expect(meaning[head.indexOf('counter_vlan')]).toContain('required, per site: vlan');
		const filled = row.map((cell, index) =>
			head[index] === 'counter_vlan' ? '41' : head[index] === 'hostname' ? 'counter-1' : cell
		);
		const choose = (rows: string[][]) =>
			page.getByLabel('Filled sheet').setInputFiles({
				name: 'filled.csv',
				mimeType: 'text/csv',
				buffer: Buffer.from(Papa.unparse(rows))
			});
		await choose([head, filled, filled]);
		await page.getByRole('button', { name: 'See what it would change' }).click();
		const comparison = page.getByRole('region', { name: 'What the file would change' });
		await expect(comparison.getByRole('alert')).toContainText('stands in line 2 already');
		await choose([head, meaning, filled]);
		await page.getByRole('button', { name: 'See what it would change' }).click();
		await expect(comparison).toContainText('The file would change 2 values');
		await comparison.getByRole('button', { name: 'Save 2 values' }).click();
		await expect(page.getByRole('status').filter({ hasText: '2 values are saved' })).toBeVisible();
		// Only what is in sight is drawn
		await page.getByRole('grid', { name: 'Values' }).focus();
		await page.keyboard.press('End');
		await expect(page.getByRole('gridcell', { name: '41' })).toBeVisible();
	});

	await test.step('the preview says of each line where it came from', async () => {
		await openPosition(page, SITE, 'gw-1');
		const text = page.getByLabel('Configuration of gw-1');
		await expect(text).toContainText('name counter-1;');
		await text.getByText('tag 41;').hover();
		const origin = page.getByTestId('origin');
		await expect(origin).toContainText(/Counters\s*line 2\s*counter_vlan, given at the site/);
		await text.focus();
		await page.keyboard.press('Home');
		await page.keyboard.press('ArrowDown');
		await page.keyboard.press('ArrowDown');
		await expect(origin).toContainText(/Name and place\s*line 3\s*hostname, given at the position/);
		// A line that was clicked stays while the pointer goes past others to what it tells
		await text.getByText('tag 41;').click();
		await text.getByText('name counter-1;').hover();
		await origin.getByRole('link', { name: 'Counters' }).click();
		await expect(page).toHaveURL(/\/profiles\/parts\/[0-9a-f-]+\?.*line=2/);
		await page.goBack();
		await expect(text).toContainText('name counter-1;');
	});

	// It comes with the firmware that its profile, which names none, was written for
	const unit = await yardUnit('OG-2', '7.0.3');
	await test.step('a unit onboards with it', async () => {
		await claim(page, 'Marlstone Veterinary', lineOf(unit));
		await openPosition(page, SITE, 'gw-1');
		await bind(page, unit.serial);
		await command(unit.serial, { power: true });
		await expect(
			page.getByRole('list', { name: 'Positions' }).getByRole('listitem').filter({ hasText: 'gw-1' })
		).toContainText('online');
		await page.getByRole('link', { name: 'Compare' }).click();
		await expect(page.getByText('The same as what was last sent, line by line.')).toBeVisible();
		await page.getByLabel('Compared with').selectOption({ label: 'what runs on the unit' });
		await expect(page.getByText('The same as what runs on the unit, line by line.')).toBeVisible();
	});

	await test.step('later: a change that is the same everywhere', async () => {
		await openProfile(page);
		await page.getByRole('tab', { name: 'Values' }).click();
		await inSheet(page, 'time_server').fill('clock.sallowfield.example');
		await saveDraft(page);
		await page.getByRole('link', { name: 'What releasing it changes' }).click();
		expect(await impact(page)).toContain('1 position would change, 0 stay');
		await expect(page.locator('[data-group="changed"]')).toContainText('1 site: 1 line');
		await expect(page.locator('[data-group="changed"]')).toContainText(
			'clock { server clock.sallowfield.example; }'
		);
		await page.getByLabel(/^Why, or what is new/).fill('The clock moved');
		await page.getByRole('button', { name: 'Release revision 3' }).click();
		await expect(page.getByText('in force')).toBeVisible();
	});

	await test.step('later: a change of a value that each site has', async () => {
		await sheetOf(page);
		await type(page, 'counter_vlan', '4095');
		await expect(page.getByRole('gridcell', { name: '4095' })).toHaveAttribute('aria-invalid', 'true');
		await page.keyboard.press('Control+z');
		await type(page, 'counter_vlan', '42');
		await saveSheet(page);
		await openPosition(page, SITE, 'gw-1');
		await page.getByRole('link', { name: 'Compare' }).click();
		const difference = page.getByRole('textbox', { name: 'Difference' });
		await expect(difference).toContainText('tag 42;');
		await expect(page.locator('.cm-deletedChunk').filter({ hasText: 'tag 41;' })).toBeVisible();
	});

	await test.step('later: a new value that each site is to give', async () => {
		await visit(page, '/profiles');
		await page.getByRole('link', { name: 'Counters', exact: true }).click();
		await page.getByRole('textbox', { name: 'Counters, braced' }).click();
		await page.keyboard.press('Control+End');
		await page.keyboard.insertText('lane screens {\n\ttag {{ screen_vlan }};\n}\n');
		await expect(page.getByRole('list', { name: 'Remarks' })).toContainText(
			'“screen_vlan” is declared nowhere'
		);
		await page.getByRole('button', { name: 'Add a field' }).click();
		const fresh = page.locator('[data-field]').last();
		await fresh.getByLabel('Name', { exact: true }).fill('screen_vlan');
		await fresh.getByLabel('Type').selectOption('vlan');
		await saveDraft(page);
		await page.getByLabel(/^Why, or what is new/).fill('Screens');
		await page.getByRole('button', { name: 'Release revision 2' }).click();
		await expect(page.getByRole('status').filter({ hasText: 'Released' })).toBeVisible();
		await openProfile(page);
		await page.getByRole('button', { name: 'Take up revision 2' }).click();
		await saveDraft(page);
		expect(await release(page, 'Screens')).toContain('1 could not be computed any more');
		await sheetOf(page);
		await type(page, 'screen_vlan', '50');
		await saveSheet(page);
		await openPosition(page, SITE, 'gw-1');
		await expect(page.getByLabel('Configuration of gw-1')).toContainText('tag 50;');
	});
	await command(unit.serial, { power: false });
});

test('two engineers write the same part: the second is shown both, and nothing is lost', async ({
	browser
}) => {
	const [one, other] = [
		await signedInAs(browser, 'Maren Aldous'),
		await signedInAs(browser, 'Sallowfield administrator')
	];
	await visit(one, '/profiles?make=part');
	await one.getByLabel('Name', { exact: true }).fill('Written by two');
	await one.getByRole('button', { name: 'Begin part' }).click();
	await expect(one.getByRole('heading', { name: 'Written by two', level: 1 })).toBeVisible();
	await visit(other, new URL(one.url()).pathname);
	for (const [page, words] of [
		[one, 'clock { server theirs.example; }'],
		[other, 'clock { server mine.example; }']
	] as const) {
		await page.getByRole('button', { name: '+ braced' }).click();
		await page.getByRole('textbox', { name: 'Written by two, braced' }).click();
		await page.keyboard.insertText(words);
	}
	await saveDraft(one);
	await other.getByRole('button', { name: 'Save draft' }).click();
	await expect(
		other
			.getByRole('alert')
			.filter({ hasText: `${inRecords('Maren Aldous')} saved this draft while you wrote` })
	).toBeVisible();
	await expect(other.getByRole('heading', { name: 'Theirs and yours, braced' })).toBeVisible();
	await expect(other.locator('.cm-deletedChunk')).toContainText('theirs.example');
	await other.getByRole('button', { name: 'Keep mine, and save again' }).click();
	await saveDraft(other);
	await one.reload();
	await expect(one.getByRole('textbox', { name: 'Written by two, braced' })).toContainText('mine.example');
});

test('sites that wait for a block get the next free ones, and the map leads to who has what', async ({
	browser
}) => {
	const page = await signedInAs(browser, 'Ines Okafor');
	await visit(page, '/addresses?make=pool');
	await page.getByLabel('Customer', { exact: true }).last().selectOption({ label: 'Pippin & Loaf' });
	await page.getByLabel('Name', { exact: true }).fill('Fixed uplinks');
	await page.getByLabel('Gives values to the field').fill('uplink_address');
	await page.getByLabel('Block', { exact: true }).fill('10.40.64.0/20');
	await page.getByLabel('Length of each').fill('24');
	await page.getByRole('button', { name: 'Make pool' }).click();
	await expect(page.getByRole('alert')).toContainText('It overlaps another pool of this customer');
	await page.getByLabel('Block', { exact: true }).fill('10.99.0.0/21');
	await page.getByRole('button', { name: 'Make pool' }).click();
	await expect(page.getByRole('heading', { name: 'Fixed uplinks', level: 1 })).toBeVisible();
	await expect(page.getByText(/too few: \d+ are wanted/)).toBeVisible();
	await visit(page, '/addresses');
	await page.getByRole('link', { name: 'Bakery networks' }).click();
	// Other tests plan bakeries too
	const said = page.getByText(/^\d+ in use, room for \d+ more/);
	const [inUse, room] = (await said.textContent())!.match(/\d+/g)!.map(Number);
	expect(inUse! + room!).toBe(128);
	await page
		.getByRole('img', { name: /What of 10.40.0.0\/15/ })
		.locator('rect.used')
		.first()
		.click();
	const site = page.getByTestId('chosen-block').getByRole('link');
	const called = (await site.textContent())!.trim();
	await expect(page.getByRole('row', { name: called })).toContainText(/10\.4[01]\.\d+\.0\/22/);
	await page
		.getByLabel(/Note what is used elsewhere/)
		.fill('10.41.252.0/22 the old phones\n10.40.100.0/22 twice');
	await page.getByRole('button', { name: 'Note as in use' }).click();
	await expect(page.getByRole('alert')).toContainText('Line 2: 10.40.100.0/22 is in use already');
	await page.getByLabel(/Note what is used elsewhere/).fill('10.41.252.0/22 the old phones');
	await page.getByRole('button', { name: 'Note as in use' }).click();
	await expect(page.getByText(`${inUse! + 1} in use, room for ${room! - 1} more`)).toBeVisible();
});
