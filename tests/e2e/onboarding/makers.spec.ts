import { randomInt } from 'node:crypto';
import { expect, test, type Page } from '../help/test';
import { FENNICK_PACK, Fennick } from '../../fennick';
import { signedInAs } from '../help/people';
import { giveValue, sendAfterLooking, toSendPage } from '../help/sending';
import { planned } from '../help/sites';
import { bind, claim, command, lineOf, openPosition, visit, yardUnit } from '../help/yard';

const CONFIGURATION = `set system name fn-e2e
set system name-server 192.0.2.53
set system time-server time.sallowfield.example
set port {{ port.uplink }} address automatic
set home host {{ limen.call_home_host }}
set home port {{ limen.call_home_port }}
set user limen key {{ limen.public_key | quoted }}
`;
const givePack = (page: Page, text: string) =>
	page
		.getByLabel('Pack file')
		.setInputFiles({ name: 'fennick.json', mimeType: 'application/json', buffer: Buffer.from(text) });

test('a maker that Limen never saw is loaded, tried, and its first unit comes online through its command line @long', async ({
	browser
}) => {
	const page = await signedInAs(browser, 'Administrator');
	page.on('dialog', (dialog) => void dialog.accept());
	const device = new Fennick(`FN${randomInt(1e7, 1e8)}`, `CODE${randomInt(1e6, 1e7)}`);

	await test.step('what is wrong with the pack is said at its line', async () => {
		await visit(page, '/profiles/makers/load');
		await givePack(page, FENNICK_PACK.replace('"talk": "command-line"', '"talk": "radio"'));
		await page.getByRole('button', { name: 'Compare' }).click();
		await expect(page.getByRole('list', { name: 'What is not right' })).toContainText(
			'models.0.talk: “radio” is not in this pack.'
		);
	});

	await test.step('what a device printed is read before the pack is in use', async () => {
		await givePack(page, FENNICK_PACK);
		const tried = page.getByRole('region', { name: 'Try it' });
		await tried.getByLabel('Asked').selectOption({ label: 'its serial number' });
		await tried
			.getByLabel('What it printed')
			.fill(`Serial no: ${device.serial}   Base MAC: 02:0f:0e:00:00:01\n`);
		await tried.getByRole('button', { name: 'Read it' }).click();
		await expect(tried.getByRole('cell', { name: device.serial })).toBeVisible();
	});

	await test.step('it is taken into use', async () => {
		await page.getByRole('button', { name: 'Compare' }).click();
		await expect(page.getByText('Fennick is new here, with 1 model.')).toBeVisible();
		await page.getByRole('button', { name: 'Take Fennick 1 into use' }).click();
		await expect(page.getByRole('heading', { level: 1, name: 'Fennick' })).toBeVisible();
	});

	await test.step('a part and a profile are written in its dialect', async () => {
		await visit(page, '/profiles/parts/from-text');
		await page.getByLabel('Dialect').selectOption('set');
		await page.getByRole('textbox', { name: 'Configuration' }).click();
		await page.keyboard.insertText(CONFIGURATION);
		await page.getByLabel('Name of the part').fill('All of a Fennick');
		await page.getByRole('button', { name: 'Begin the part with it' }).click();
		await page.getByLabel(/^Why, or what is new/).fill('The first');
		await page.getByRole('button', { name: 'Release revision 1' }).click();
		await expect(page.getByRole('status').filter({ hasText: 'Released' })).toBeVisible();
		await visit(page, '/profiles?make=profile');
		await page.getByLabel('Name', { exact: true }).fill('Fennick router');
		await page.getByLabel('For positions that are a').selectOption({ label: 'router' });
		await page.getByRole('button', { name: 'Begin profile' }).click();
		await page.getByLabel('Part to add').selectOption({ label: 'All of a Fennick (set)' });
		await page.getByRole('button', { name: 'Add part' }).click();
		await page.getByRole('button', { name: 'Save draft' }).click();
		await expect(page.getByRole('status').filter({ hasText: 'The draft is saved' })).toBeVisible();
		await expect(page.getByRole('list', { name: 'Models it serves' })).toContainText('FN-10 served');
		await page.getByRole('link', { name: 'What releasing it changes' }).click();
		await expect(page.getByTestId('impact')).toBeVisible();
		await page.getByLabel(/^Why, or what is new/).fill('The first');
		await page.getByRole('button', { name: /^Release revision/ }).click();
		await expect(page.getByText('in force')).toBeVisible();
	});

	await test.step('its first unit is claimed, bound, and comes online', async () => {
		await claim(page, 'Marlstone Veterinary', `${device.serial}, 02:0f:0e:00:00:01, ${device.claimCode}`);
		await planned(page, 'Fennick rooms');
		await page.getByLabel('Name', { exact: true }).fill('rt-1');
		await page.getByRole('combobox', { name: /^Profile/ }).selectOption({ label: 'Fennick router' });
		await page.getByRole('button', { name: 'Plan it' }).click();
		await expect(page.getByRole('status').filter({ hasText: 'rt-1 is planned.' })).toBeVisible();
		await openPosition(page, 'Fennick rooms', 'rt-1');
		await bind(page, device.serial);
		await device.bootstrap(`https://127.0.0.1:${process.env.LIMEN_BOOTSTRAP_PORT}`);
		void device.dialHome();
		await expect(page.getByRole('listitem').filter({ hasText: 'rt-1' }).getByText('online')).toBeVisible();
	});

	await test.step('it is asked what it is plugged into, on its maker’s page', async () => {
		await visit(page, '/profiles/makers/fennick');
		const asked = page.getByRole('region', { name: 'Ask a unit' });
		await asked.getByLabel('What', { exact: true }).selectOption({ label: 'what it is plugged into' });
		await asked.getByRole('button', { name: 'Ask' }).click();
		await expect(asked.getByRole('cell', { name: 'ap-lobby' })).toBeVisible();
		device.unplug();
	});
});

test('a switch without a command line comes online over NETCONF; a change it does not come home with it goes back from @long', async ({
	browser
}) => {
	const page = await signedInAs(browser, 'Maren Aldous');
	const unit = await yardUnit('BW-8P');
	await claim(page, 'Marlstone Veterinary', lineOf(unit));
	await planned(page, 'Switch rooms');
	await page.getByLabel('Name', { exact: true }).fill('sw-1');
	await page.getByRole('combobox', { name: /^Profile/ }).selectOption({ label: 'Access switch' });
	await page.getByRole('button', { name: 'Plan it' }).click();
	await expect(page.getByRole('status').filter({ hasText: 'sw-1 is planned.' })).toBeVisible();
	await openPosition(page, 'Switch rooms', 'sw-1');
	await giveValue(page, new URL(page.url()).searchParams.get('position')!, 'hostname', 'switch-rooms-sw-1');
	await openPosition(page, 'Switch rooms', 'sw-1');
	await bind(page, unit.serial);
	await command(unit.serial, { power: true });
	await expect(page.getByRole('listitem').filter({ hasText: 'sw-1' }).getByText('online')).toBeVisible();

	const earlier = page.getByRole('list', { name: 'Earlier sends to this unit' });
	await test.step('a new name is sent while it does not find its way home with it: seen to go back', async () => {
		await command(unit.serial, { faults: ['lost-way'] });
		await giveValue(page, new URL(page.url()).searchParams.get('position')!, 'hostname', 'switch-rooms-sw-9');
		await toSendPage(page, unit.serial);
		await sendAfterLooking(page, 'switch-rooms-sw-9');
		await expect(page.locator('[aria-current=step]')).toHaveText('comes back');
		// Its timer has to run out first
		await expect(earlier.getByText('gone back', { exact: true })).toBeVisible({ timeout: 90_000 });
	});
	await test.step('once it does, it is confirmed', async () => {
		await command(unit.serial, { faults: [] });
		await sendAfterLooking(page, 'switch-rooms-sw-9');
		await expect(earlier.getByText('confirmed', { exact: true })).toBeVisible({ timeout: 60_000 });
		await expect(page.getByText('It runs what it should.')).toBeVisible();
	});
	await test.step('what was said stands in its dialogue', async () => {
		await page.getByRole('button', { name: 'More' }).click();
		await page.getByRole('link', { name: 'What was said to it' }).click();
		await expect(page.getByText('<persist-id>').first()).toBeVisible();
		await expect(page.getByText(/\(the configuration, \d+ lines\)/).first()).toBeVisible();
	});
});
