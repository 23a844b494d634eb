import { expect, test } from '../help/test';
import { checkCharacter } from '../../../src/core/intake';
import { agrees, Hand } from '../help/hand';
import { drawCodes, photograph } from '../help/labels';
import { signedInAs } from '../help/people';
import { bind, claim, command, lineOf as yardLine, openPosition, visit, yardUnit } from '../help/yard';

function label(number: number) {
	const body = `OG2K${number}`;
	return {
		serial: body + checkCharacter(body, 'iso7064-mod-37-36'),
		mac: `02:0c:00:00:00:${String(number).slice(-2)}`,
		claimCode: `WATCH${number}`
	};
}
/** Clinics at which no other test binds anything. */
const SITES = ['Ashburton', 'Kaiapoi', 'Rangiora', 'Lyttelton', 'Hokitika', 'Greymouth'].map(
	(town) => `${town} clinic`
);

test('six units of a delivery note are claimed and bound', async ({ browser }) => {
	const page = await signedInAs(browser, 'Ines Okafor');
	const hand = new Hand(page);
	const note = [
		'serial,mac,claim code,site,position',
		...SITES.map((site, index) => {
			const { serial, mac, claimCode } = label(7_710_410 + index);
			return [serial, mac, claimCode, site, 'gw-1'].join(',');
		})
	].join('\n');
	await visit(page, '/');
	await hand.type('gi');
	const list = page.getByLabel(/^Units, one a line/);
	await expect(list).toBeVisible();
	await hand.choose(page.getByLabel('For', { exact: true }), 'Marlstone Veterinary');
	await hand.tap(list);
	await hand.paste(list, note);
	await hand.tap(page.getByRole('button', { name: 'Claim 7 lines' }));
	await expect(page.getByRole('heading', { name: '6 of 6 claimed, 6 bound' })).toBeVisible();
	agrees('Claim and bind six units from a delivery note that names their places', hand);
});

test('one unit is bound by telephone', async ({ browser }) => {
	const page = await signedInAs(browser, 'Ines Okafor');
	const { serial, mac, claimCode } = label(7_710_433);
	await claim(page, 'Marlstone Veterinary', `${serial}, ${mac}, ${claimCode}`);
	const hand = new Hand(page);
	await visit(page, '/');
	await hand.tap(page.getByRole('link', { name: 'Bind by phone' }));
	await expect(page.getByLabel('What you hear')).toBeFocused();
	await hand.type(`${serial.slice(-4).toLowerCase()} pict`);
	await expect(page.getByRole('button', { name: /\(Enter\)/ })).toBeVisible();
	await hand.press('Enter');
	await expect(page.getByTestId('check-phrase')).toBeVisible();
	agrees('Bind one unit by telephone', hand);
});

test('one unit is bound on the phone by scanning its label', async ({ browser }) => {
	const desk = await signedInAs(browser, 'Ines Okafor');
	const one = label(7_710_444);
	await claim(desk, 'Marlstone Veterinary', `${one.serial}, ${one.mac}, ${one.claimCode}`);
	await visit(desk, '/sites?q=Hanmer');
	const href = await desk.getByRole('link', { name: 'Hanmer Springs clinic' }).getAttribute('href');
	const phone = await signedInAs(browser, 'Tobias Venn', { width: 390, height: 844 });
	const photo = await photograph(desk, await drawCodes('code128', one), { turned: 5 });
	const hand = new Hand(phone);
	await visit(phone, `/day?site=${href!.split('/').pop()}`);
	await hand.tap(phone.getByRole('link', { name: /Hanmer Springs clinic/ }));
	await hand.give(phone.getByLabel('Scan a label'), {
		name: 'label.jpg',
		mimeType: 'image/jpeg',
		buffer: photo
	});
	await hand.tap(phone.getByRole('button', { name: 'Bind it to gw-1' }));
	await expect(phone.locator('[data-position=gw-1]')).toHaveAttribute('data-standing', 'waiting');
	agrees('Bind one unit on the phone by scanning its label', hand);
});

test('forty sites are stamped', async ({ browser }) => {
	const page = await signedInAs(browser, 'Ines Okafor');
	const hand = new Hand(page);
	const list = [
		'site,uplink',
		...Array.from({ length: 40 }, (_, index) => `Stopwatch ${index + 1},dsl`)
	].join('\r\n');
	await visit(page, '/');
	await hand.type('gs');
	await hand.tap(page.getByRole('link', { name: 'Stamp sites' }));
	await hand.choose(page.getByRole('combobox', { name: /^Pattern/ }), 'Practice, Southfold Physio');
	await expect(page.getByText('gw-1, ap-gym')).toBeVisible();
	await hand.give(page.getByLabel(/A list of sites/), {
		name: 'sites.csv',
		mimeType: 'text/csv',
		buffer: Buffer.from(list)
	});
	await hand.tap(page.getByRole('button', { name: 'Compare' }));
	await hand.tap(page.getByRole('button', { name: 'Stamp 40 sites' }));
	await expect(page.getByRole('heading', { name: /^40 sites are stamped/ })).toBeVisible();
	agrees('Stamp forty sites from a pattern and a list', hand);
});

test('one site is planned from nothing until it is ready for its appointment @long', async ({ browser }) => {
	const page = await signedInAs(browser, 'Ines Okafor');
	const hand = new Hand(page);
	await visit(page, '/');
	await hand.type('gs');
	await hand.tap(page.getByRole('link', { name: 'Plan a site' }));
	await expect(page.getByRole('heading', { level: 1, name: 'Plan a site' })).toBeVisible();
	await hand.choose(page.getByRole('combobox', { name: 'Customer' }).last(), 'Southfold Physio');
	await expect(page.getByLabel('Pattern', { exact: true })).toContainText('Practice');
	await hand.tap(page.getByLabel('Site', { exact: true }));
	await hand.type('Tapanui rooms');
	for (const text of ['8 Main Road', 'Tapanui']) {
		await hand.press('Tab');
		await hand.type(text);
	}
	await hand.tap(page.getByRole('button', { name: 'Choose on the map' }));
	await hand.tap(page.getByRole('group', { name: 'Click where it is' }));
	await expect(page.getByLabel('Latitude')).not.toHaveValue('');
	await hand.tap(page.getByLabel('Contact'));
	await hand.type('Ana Rewi');
	await hand.press('Tab');
	await hand.type('021 555 0199');
	await hand.tap(page.getByLabel('Appointment', { exact: true }));
	await hand.type('2026-12-21');
	await hand.press('Enter');
	await hand.choose(page.getByLabel('Technician', { exact: true }), 'Maren Aldous');
	for (const place of ['gw-1', 'ap-gym']) {
		await hand.tap(page.getByLabel(`${place}: hostname`, { exact: true }));
		await hand.type(`tapanui-${place}`);
	}
	await expect(page.getByText('Complete: nothing is missing.')).toBeVisible();
	await hand.tap(page.getByRole('button', { name: 'Plan the site' }));
	await expect(page.getByRole('heading', { level: 1, name: 'Tapanui rooms' })).toBeVisible();
	await expect(page.getByRole('list', { name: 'Positions' })).toContainText('gw-1');
	agrees('Plan one site from nothing until it is ready for its appointment', hand);
});

test('twenty sites get a technician and a date', async ({ browser }) => {
	const page = await signedInAs(browser, 'Ines Okafor');
	const hand = new Hand(page);
	await visit(page, '/');
	await hand.type('gs');
	const filter = page.getByLabel('Filter sites');
	await hand.tap(filter);
	await hand.type('clinic');
	await expect(page).toHaveURL(/q=clinic/);
	await hand.tap(page.getByRole('checkbox', { name: /^Choose / }).first());
	const bar = page.getByRole('toolbar', { name: 'What to do with what is chosen' });
	await hand.tap(bar.getByRole('button', { name: /^Choose all/ }));
	await hand.choose(bar.getByLabel('Who goes there'), 'Tobias Venn');
	await hand.tap(bar.getByLabel('When, in each site’s time'));
	await hand.type('2026-12-22');
	await hand.press('Enter');
	const sites = Number(/(\d+)/.exec(await bar.getByRole('button', { name: /^Send to/ }).innerText())![1]);
	expect(sites).toBeGreaterThanOrEqual(20);
	await hand.tap(bar.getByRole('button', { name: /^Send to/ }));
	await expect(page.getByRole('status').filter({ hasText: `${sites} sites changed.` })).toBeVisible();
	agrees('Give twenty sites a technician and a date', hand);
});

test('why a unit is stuck is found, and it is let try again', async ({ browser }) => {
	const page = await signedInAs(browser, 'Ines Okafor');
	const unit = await yardUnit('OG-2');
	await claim(page, 'Marlstone Veterinary', yardLine(unit));
	await openPosition(page, 'Tākaka clinic', 'gw-1');
	await bind(page, unit.serial);
	await command(unit.serial, { faults: ['bad-hash'], power: true });
	const hand = new Hand(page);
	await visit(page, '/');
	const row = page.locator(`[data-serial="${unit.serial}"]`);
	await expect(row).toContainText('The download arrived damaged.');
	await command(unit.serial, { faults: [] });
	await hand.tap(row.getByRole('button', { name: 'Let it try again' }));
	await expect(row).toHaveCount(0);
	agrees('Find why a unit is stuck and let it try again', hand);
});
