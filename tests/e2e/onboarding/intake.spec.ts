import { expect, test, type Page } from '../help/test';
import { checkCharacter } from '../../../src/core/intake';
import { signedInAs } from '../help/people';
import { claim, openPosition, scan, visit } from '../help/yard';

/** Labels of units that nobody has in the yard: what matters here is what becomes of a list. */
function label(number: number) {
	const body = `OG2K${number}`;
	return {
		serial: body + checkCharacter(body, 'iso7064-mod-37-36'),
		mac: `02:0b:${String(number).slice(-6).match(/../g)!.join(':')}:00`,
		claimCode: `LISTS-${String(number).slice(-4)}A`
	};
}
const list = (page: Page) => page.getByLabel(/^Units, one a line/);
const columns = (page: Page) => page.getByRole('region', { name: 'Columns' });

test('a supplier’s delivery note is read by what is in it, corrected, and read so the next time', async ({
	browser
}) => {
	const page = await signedInAs(browser, 'Ines Okafor');
	const note = (numbers: readonly number[]) =>
		[
			'Hartwell Supplies;;;;',
			'Lieferschein;;;;',
			'Pos;Artikel;Seriennummer;Lot;Freischaltung',
			...numbers.map((number, index) => {
				const { serial, claimCode } = label(number);
				// Another column looks like a claim code as well
				return `${index + 1};OG-2 Gateway;${serial};LOT0${number};${claimCode}`;
			})
		].join('\r\n');
	const send = async (numbers: readonly number[]) => {
		await visit(page, '/intake');
		await page.getByLabel('For', { exact: true }).selectOption({ label: 'Southfold Physio' });
		await page
			.getByLabel('or a CSV or XLSX file')
			.setInputFiles({ name: 'note.csv', mimeType: 'text/csv', buffer: Buffer.from(note(numbers)) });
		await expect(columns(page)).toBeVisible();
	};
	const meaningOf = (heading: string) => page.getByRole('combobox', { name: new RegExp(`, ${heading}$`) });

	await test.step('what each column is taken for is shown, and can be said otherwise', async () => {
		await send([6_110_411, 6_110_422]);
		await expect(columns(page)).toContainText('The first 3 rows are headings.');
		await expect(meaningOf('Seriennummer')).toHaveValue('serial');
		await meaningOf('Lot').selectOption('not needed');
		await meaningOf('Freischaltung').selectOption('claim code');
		await page.getByLabel('Supplier').fill('Hartwell Supplies');
		await page.getByRole('button', { name: /^Claim/ }).click();
		await expect(page.getByRole('heading', { name: '2 of 2 claimed' })).toBeVisible();
	});

	await test.step('the next one is read as the last, and says whose it is', async () => {
		await send([6_110_433, 6_110_444]);
		await expect(columns(page)).toContainText('As Hartwell Supplies’s lists were read before.');
		await expect(meaningOf('Lot')).toHaveValue('');
		await expect(meaningOf('Freischaltung')).toHaveValue('claim');
		await page.getByRole('button', { name: /^Claim/ }).click();
		await expect(page.getByRole('heading', { name: '2 of 2 claimed' })).toBeVisible();
	});

	await test.step('what came of it is had as a file, without claim codes', async () => {
		const download = page.waitForEvent('download');
		await page.getByRole('link', { name: 'CSV' }).click();
		const stream = await (await download).createReadStream();
		let text = '';
		for await (const chunk of stream) text += String(chunk);
		expect(text).toContain(label(6_110_433).serial);
		expect(text).not.toContain('LISTS');
	});
});

test('one key takes the repair that is offered', async ({ browser }) => {
	const page = await signedInAs(browser, 'Ines Okafor');
	const { serial, mac, claimCode } = label(6_120_411);
	await claim(
		page,
		'Southfold Physio',
		`${serial.replace('OG2', '0G2')}, ${mac}, ${claimCode}\nnothing at all`
	);
	await page.locator('h1').click();
	await page.keyboard.press('f');
	await expect(list(page)).toHaveValue(new RegExp(serial));
});

test(
	'a file that is far too large is refused where it was chosen, and nothing is lost',
	{ tag: '@long' },
	async ({ browser }) => {
		const page = await signedInAs(browser, 'Ines Okafor');
		await visit(page, '/intake');
		await list(page).fill('something typed before');
		await page.getByLabel('or a CSV or XLSX file').setInputFiles({
			name: 'huge.csv',
			mimeType: 'text/csv',
			buffer: Buffer.alloc(49 * 1024 * 1024, 'a,b\n')
		});
		await expect(page.getByRole('alert')).toContainText('huge.csv');
		await expect(list(page)).toHaveValue('something typed before');
		await expect(page.getByRole('button', { name: /^Claim/ })).toBeVisible();
	}
);

test('new units fill open positions by rule, once somebody has approved', async ({ browser }) => {
	const page = await signedInAs(browser, 'Ines Okafor');
	const [first, second] = [label(6_130_411), label(6_130_422)];
	await visit(page, '/intake/rules');
	await page.getByRole('combobox', { name: 'Customer' }).last().selectOption({ label: 'Southfold Physio' });
	await page.getByLabel('New units fill').selectOption({ label: 'gateway positions with OG-2' });
	await page.getByRole('button', { name: 'Set the rule' }).click();
	await expect(page.getByRole('list', { name: 'Rules' })).toContainText('once somebody has approved');
	await claim(
		page,
		'Southfold Physio',
		[first, second].map(({ serial, mac, claimCode }) => `${serial}, ${mac}, ${claimCode}`).join('\n')
	);
	await expect(page.getByRole('heading', { name: /2 to approve/ })).toBeVisible();
	await visit(page, '/');
	await page.getByRole('link', { name: /2 bindings to approve/ }).click();
	await page.getByRole('checkbox', { name: `Approve ${second.serial}` }).uncheck();
	await page.getByRole('button', { name: 'Bind 1 unit' }).click();
	await expect(page.getByRole('status').filter({ hasText: '1 bound.' })).toBeVisible();
	await expect(page.locator('[data-proposal]')).toHaveCount(1);
	await page.getByRole('button', { name: 'Undo' }).click();
	await expect(page.getByText('Unbound. The position is open again.')).toBeVisible();
	await page.getByRole('button', { name: `Decline ${second.serial}` }).click();
	await expect(page.locator('[data-proposal]')).toHaveCount(0);
	// Others take units in for this customer
	await page.getByRole('button', { name: 'Remove' }).click();
	await expect(page.getByRole('list', { name: 'Rules' })).toHaveCount(0);
});

test('a unit and a position come together: dragged, or both scanned', async ({ browser }) => {
	const page = await signedInAs(browser, 'Ines Okafor');
	const [dragged, scanned] = [label(6_140_411), label(6_140_422)];
	await claim(
		page,
		'Marlstone Veterinary',
		[dragged, scanned].map(({ serial, mac, claimCode }) => `${serial}, ${mac}, ${claimCode}`).join('\n')
	);

	await test.step('dragged onto its position, and undone', async () => {
		await openPosition(page, 'Richmond clinic', 'gw-1');
		const unit = page.locator('label[draggable=true]').filter({ hasText: dragged.serial.slice(-4) });
		await unit.dragTo(page.locator('[data-position=gw-1]'));
		await expect(page.locator('[data-position=gw-1]')).toHaveAttribute('data-standing', 'waiting');
		await page.getByRole('button', { name: 'Undo' }).click();
		await expect(page.locator('[data-position=gw-1]')).toHaveAttribute('data-standing', 'open');
	});

	await test.step('its label, then the position’s card, then Enter', async () => {
		const href = await page.locator('[data-position=gw-1] a').getAttribute('href');
		const position = new URLSearchParams(href!.split('?')[1]).get('position')!;
		await visit(page, '/');
		await page.locator('body').click({ position: { x: 5, y: 500 } });
		await scan(page, scanned.serial);
		await expect(page).toHaveURL(/\/units\//);
		await scan(page, `http://limen.example/sites/at/${position.replaceAll('-', '')}`);
		await expect(page.getByRole('button', { name: 'Bind (Enter)' })).toBeFocused();
		await page.keyboard.press('Enter');
		await expect(page.getByText('Bound. The unit is expected to call once it has power.')).toBeVisible();
		await openPosition(page, 'Richmond clinic', 'gw-1');
		await expect(page.locator('[data-position=gw-1]')).toHaveAttribute('data-standing', 'waiting');
	});
});
