import { readFileSync } from 'node:fs';
import { expect, test, type Locator, type Page } from '@playwright/test';
import { checkCharacter } from '../../src/core/intake';
import { drawCodes, photograph } from './labels';
import { signedInAs } from './people';
import { claim, visit } from './yard';

/**
 * What common work costs a hand: taps and keystrokes, counted as they are made. The table in
 * docs/stopwatch.md says the same numbers, or this fails.
 */
class Hand {
	taps = 0;
	keys = 0;
	constructor(readonly page: Page) {}

	async tap(target: Locator): Promise<void> {
		this.taps++;
		await target.click();
	}
	/** A choice out of a list: opened and chosen. */
	async choose(target: Locator, label: string): Promise<void> {
		this.taps += 2;
		await target.selectOption({ label });
	}
	async type(text: string): Promise<void> {
		this.keys += text.length;
		// As fast as a person: faster is taken for a scanner
		await this.page.keyboard.type(text, { delay: 60 });
	}
	async press(key: string): Promise<void> {
		this.keys++;
		await this.page.keyboard.press(key);
	}
	/** Ctrl+V. */
	async paste(target: Locator, text: string): Promise<void> {
		this.keys++;
		await target.fill(text);
	}
	/** A file or a photo: what the device's own dialog or camera asks for besides is not counted. */
	async give(target: Locator, file: Parameters<Locator['setInputFiles']>[0]): Promise<void> {
		this.taps++;
		await target.setInputFiles(file);
	}
}

const TABLE = readFileSync('docs/stopwatch.md', 'utf8');
function agrees(work: string, { taps, keys }: Hand): void {
	const row = TABLE.split('\n').find((line) => line.includes(`| ${work} |`));
	expect(row, `docs/stopwatch.md has no row “${work}”`).toBeTruthy();
	const [, , said, saidKeys] = row!.split('|').map((cell) => cell.trim());
	expect([Number(said), Number(saidKeys)], work).toEqual([taps, keys]);
}

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
