import { expect, test, type Page } from '../help/test';
import { checkCharacter } from '../../../src/core/intake';
import { CODE_KINDS, drawCodes, photograph, type LabelText, type Taken } from '../help/labels';
import { signedInAs } from '../help/people';
import { claim, visit } from '../help/yard';

const PHONE = { width: 390, height: 844 };
function label(number: number): LabelText {
	const body = `OG2K${number}`;
	return {
		serial: body + checkCharacter(body, 'iso7064-mod-37-36'),
		mac: `02:0d:00:00:00:${String(number).slice(-2)}`,
		claimCode: `FIELD${number}`
	};
}
const lineOf = ({ serial, mac, claimCode }: LabelText) => `${serial}, ${mac}, ${claimCode}`;

/** A new site with a gateway's position, to which somebody goes; its address. */
async function planSite(page: Page, name: string): Promise<string> {
	await visit(page, '/sites/new');
	await page
		.getByRole('combobox', { name: /^Customer/ })
		.last()
		.selectOption({ label: 'Marlstone Veterinary' });
	await page.getByLabel('Pattern', { exact: true }).selectOption('none');
	await page.getByLabel('Site', { exact: true }).fill(name);
	await page.getByRole('button', { name: 'Plan the site' }).click();
	await page.getByLabel('Name', { exact: true }).fill('gw-1');
	await page.getByRole('combobox', { name: /^Profile/ }).selectOption({ label: 'Clinic gateway' });
	await page.getByRole('button', { name: 'Plan it' }).click();
	await expect(page.locator('[data-position=gw-1]')).toBeVisible();
	return new URL(page.url()).pathname.split('/').pop()!;
}
const state = (page: Page) => page.locator('[data-waiting]');
const scan = async (page: Page, text: string) => {
	await page.getByLabel('Serial number or its end').fill(text);
	await page.getByRole('button', { name: 'Find', exact: true }).click();
};

test('a technician works at sites without signal; it is sent when there is one, and what collides is decided @long', async ({
	browser
}) => {
	const ines = await signedInAs(browser, 'Ines Okafor');
	const [one, other, theirs] = [label(7_510_411), label(7_510_422), label(7_510_433)];
	const first = await planSite(ines, 'Field clinic one');
	const second = await planSite(ines, 'Field clinic two');
	await claim(ines, 'Marlstone Veterinary', [one, other, theirs].map(lineOf).join('\n'));

	const phone = await signedInAs(browser, 'Tobias Venn', PHONE);
	await test.step('the page opens again without signal, though it was reached by a link that no worker saw', async () => {
		await visit(phone, '/');
		await phone.getByRole('link', { name: 'Your sites' }).click();
		await expect(phone).toHaveURL(/\/day/);
		await expect(state(phone)).toHaveAttribute('data-kept', 'true');
		await phone.context().setOffline(true);
		await phone.reload();
		await expect(state(phone)).toBeVisible();
		await phone.context().setOffline(false);
	});
	await visit(phone, `/day?site=${first}&site=${second}`);
	await expect(state(phone)).toHaveAttribute('data-kept', 'true');
	await expect(phone.getByRole('link', { name: /Field clinic one/ })).toBeVisible();

	await test.step('without signal the page opens, and a label is bound and noted', async () => {
		await phone.context().setOffline(true);
		await phone.goto('/day');
		await phone.getByRole('link', { name: /Field clinic one/ }).click();
		await scan(phone, one.serial.slice(-5));
		await phone.getByRole('button', { name: 'Bind it to gw-1' }).click();
		await expect(phone.locator('[data-position=gw-1]')).toHaveAttribute('data-standing', 'to be sent');
		await phone.getByLabel('Note', { exact: true }).fill('The key is at the bakery next door');
		await phone.getByRole('button', { name: 'Keep the note' }).click();
		await expect(state(phone)).toHaveAttribute('data-waiting', '2');
		const pad = phone.getByTestId('signature');
		await pad.scrollIntoViewIfNeeded();
		const frame = (await pad.boundingBox())!;
		await phone.mouse.move(frame.x + 30, frame.y + 40);
		await phone.mouse.down();
		await phone.mouse.move(frame.x + 120, frame.y + 60, { steps: 8 });
		await phone.mouse.up();
		await phone.getByLabel('Name of who signs').fill('Aroha Tamblyn');
		await phone.getByRole('button', { name: 'Keep the signature' }).click();
		await expect(state(phone)).toHaveAttribute('data-waiting', '3');
		await expect(state(phone)).toContainText('there is no signal. It is kept here.');
	});

	await test.step('the same unit at another site is said to be taken; what is wrong is told at once', async () => {
		await phone.getByRole('button', { name: /All sites/ }).click();
		await phone.getByRole('link', { name: /Field clinic two/ }).click();
		await scan(phone, one.serial);
		await expect(phone.getByText(/is bound to Field clinic one gw-1/)).toBeVisible();
		await scan(phone, 'ZZZZ9999');
		await expect(phone.getByText(/No unit that is known on this phone/)).toBeVisible();
		await scan(phone, other.serial);
		await phone.getByRole('button', { name: 'Bind it to gw-1' }).click();
		await expect(state(phone)).toHaveAttribute('data-waiting', '4');
	});

	await test.step('closed and opened again without signal, nothing is lost', async () => {
		await phone.goto('/day');
		await expect(state(phone)).toHaveAttribute('data-waiting', '4');
	});

	await test.step('meanwhile somebody at the desk binds another unit to one of the positions', async () => {
		await visit(ines, `/sites/${second}`);
		await ines
			.getByLabel(/serial/i)
			.first()
			.fill(theirs.serial);
		await ines.getByRole('button', { name: `Bind ${theirs.serial.slice(-4)}` }).click();
		await expect(ines.locator('[data-position=gw-1]')).toHaveAttribute('data-standing', 'waiting');
	});

	await test.step('with signal all is sent by itself, and both sides of what collided are shown', async () => {
		await phone.context().setOffline(false);
		await expect(state(phone)).toHaveAttribute('data-waiting', '0');
		const decide = phone.getByRole('region', { name: 'Decide' });
		await expect(decide).toContainText('gw-1 at Field clinic two');
		await expect(decide).toContainText('already has a unit');
		await visit(ines, `/sites/${first}`);
		await expect(ines.locator('[data-position=gw-1]')).toHaveAttribute('data-standing', 'waiting');
		await expect(ines.getByText('The key is at the bakery next door')).toBeVisible();
		await expect(ines.getByText('Signed by Aroha Tamblyn')).toBeVisible();
		await decide.getByRole('button', { name: 'Mine is there' }).click();
		await expect(decide).toBeHidden();
		await visit(ines, `/sites/${second}`);
		await expect(ines.locator('[data-position=gw-1]')).toContainText(other.serial.slice(-4));
	});

	await test.step('a photo of the installed unit comes to the site', async () => {
		await visit(ines, `/sites/${first}`);
		await visit(phone, `/day?site=${first}#${first}`);
		const picture = await photograph(phone, await drawCodes('qrcode', one), {});
		await phone
			.getByLabel('Photo of the installed unit')
			.setInputFiles({ name: 'rack.jpg', mimeType: 'image/jpeg', buffer: picture });
		// It comes by itself to whoever looks at the site
		await expect(ines.getByRole('region', { name: 'From the site' }).getByRole('img')).toHaveCount(1);
	});
});

const CONDITIONS: readonly (Taken & { readonly said: string })[] = [
	{ said: 'as it is' },
	{ said: 'a little blurred', blurred: 1.2 },
	{ said: 'much blurred', blurred: 4 },
	{ said: 'in a dim room', brightness: 0.4 },
	{ said: 'nearly dark', brightness: 0.08 },
	{ said: 'blurred in a dim room', blurred: 1.2, brightness: 0.4 }
];
const TURNS = [0, 14, 90, 187];

test('photos of labels are read or refused, never read wrong', { tag: '@long' }, async ({ browser }) => {
	const page = await signedInAs(browser, 'Ines Okafor');
	await visit(page, '/intake');
	const input = page.getByLabel('Photos of labels');
	const text = page.getByLabel(/^Units, one a line/);
	const reader = page.locator('[data-milliseconds]');
	const shares: string[] = [];
	let slowest = 0;
	let number = 7_600_000;
	for (const { said, ...condition } of CONDITIONS) {
		let read = 0;
		let taken = 0;
		for (const kind of CODE_KINDS)
			for (const turned of TURNS) {
				const one = label(number++);
				const photo = await photograph(page, await drawCodes(kind, one), { ...condition, turned });
				await text.fill('');
				await input.setInputFiles({ name: 'label.jpg', mimeType: 'image/jpeg', buffer: photo });
				const refused = reader.locator('p');
				await expect
					.poll(async () => (await text.inputValue()) !== '' || (await refused.count()) > 0)
					.toBe(true);
				slowest = Math.max(slowest, Number(await reader.getAttribute('data-milliseconds')));
				const line = await text.inputValue();
				taken++;
				if (line === '') {
					await expect(refused).toHaveText(/too dark|No code can be made out|No serial number among/);
					continue;
				}
				read++;
				const [serial, mac, code] = line.split(',');
				expect(serial, `${kind} turned by ${turned}, ${said}`).toBe(one.serial);
				expect(['', one.mac]).toContain(mac);
				expect(['', one.claimCode]).toContain(code);
			}
		shares.push(`${said}: ${read} of ${taken}`);
		if (said === 'as it is') expect(read).toBe(taken);
	}
	console.log(`Label photos read (the slowest in ${slowest} ms):\n  ${shares.join('\n  ')}`);
});

test('what is no photo is refused in words', async ({ browser }) => {
	const page = await signedInAs(browser, 'Ines Okafor');
	await visit(page, '/intake');
	await page
		.getByLabel('Photos of labels')
		.setInputFiles({ name: 'label.jpg', mimeType: 'image/jpeg', buffer: Buffer.from('not a photo') });
	await expect(page.getByText('This is no photo that can be opened.')).toBeVisible();
});
