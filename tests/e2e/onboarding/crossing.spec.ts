import { execFileSync } from 'node:child_process';
import { mkdtempSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { expect, test, type Page } from '../help/test';
import { signedInAs } from '../help/people';
import { bind, claim, command, consoleOf, lineOf, openPosition, visit, yardUnit } from '../help/yard';

const rowOf = (page: Page, serial: string) => page.locator(`[data-serial="${serial}"]`);

test('from pasted serial numbers to a site that is online, each person doing their own part', async ({
	browser
}) => {
	// The coordinator's; the technician watches on the way, the auditor reads
	let page = await signedInAs(browser, 'Ines Okafor');
	const [router, point] = [await yardUnit('VT-120'), await yardUnit('LF-6')];
	const misread = router.serial.replace('VTB', 'VT8');

	await test.step('the good row is claimed, the bad ones come back with their reason and a repair', async () => {
		await claim(
			page,
			'Pippin & Loaf',
			`${lineOf(point)}\n${misread}, ${router.mac}, ${router.claimCode}\nnonsense`
		);
		await expect(page.getByRole('heading', { name: /1 of 3 claimed.*2 to mend/ })).toBeVisible();
		await expect(page.locator('[data-verdict="malformed"]')).toHaveCount(2);
		await page.getByRole('button', { name: `Use ${router.serial}` }).click();
		await expect(page.getByLabel(/^Units, one a line/)).toHaveValue(`${lineOf(router)}\nnonsense`);
		await page.getByRole('button', { name: 'Claim 2 lines' }).click();
		await expect(page.getByRole('heading', { name: /2 of 3 claimed.*1 to mend/ })).toBeVisible();
	});

	await test.step('the same list again changes nothing', async () => {
		await claim(page, 'Pippin & Loaf', `${lineOf(point)}\n${lineOf(router)}`);
		await expect(page.getByRole('heading', { name: /0 of 2 claimed, 2 there already/ })).toBeVisible();
	});

	await test.step('each position shows what it will get, and takes its unit', async () => {
		await openPosition(page, 'Bluff Beacon', 'rt-1');
		await expect(page.getByLabel('Configuration of rt-1')).toContainText('location "Bluff Beacon"');
		await bind(page, router.serial);
		await openPosition(page, 'Bluff Beacon', 'ap-shop');
		await expect(page.getByLabel('Configuration of ap-shop')).toContainText('"secret": ••••••');
		await bind(page, point.serial);
	});

	const site = await page.context().newPage();
	await site.goto(page.url());
	const sitePath = new URL(site.url()).pathname;
	page = await signedInAs(browser, 'Tobias Venn');
	await expect(page.getByLabel('Customer', { exact: true }).getByRole('option')).toHaveText([
		'All customers',
		'Marlstone Veterinary',
		'Pippin & Loaf'
	]);
	await page.goto('/arrivals?at=');
	await expect(page.locator('[data-live="true"]')).toBeVisible();
	await expect(rowOf(page, router.serial)).toHaveAttribute('data-standing', 'waiting');
	const loads: string[] = [];
	page.on('framenavigated', (frame) => loads.push(frame.url()));

	await test.step('power on: Arrivals follows every step without a reload', async () => {
		const seen = new Set<string>();
		await page.exposeFunction('sawStep', (step: string) => seen.add(step));
		await rowOf(page, router.serial).evaluate((row, serial) => {
			new MutationObserver(() => {
				const step = document.querySelector(`[data-serial="${serial}"]`)?.getAttribute('data-step');
				if (step) (window as unknown as { sawStep: (step: string) => void }).sawStep(step);
			}).observe(row.parentElement!, { subtree: true, attributes: true, childList: true });
		}, router.serial);
		await command(router.serial, { power: true });
		await command(point.serial, { power: true });
		await expect(rowOf(page, router.serial)).toHaveAttribute('data-step', 'online');
		await expect(rowOf(page, point.serial)).toHaveAttribute('data-step', 'online');
		for (const step of ['firmware', 'configuration', 'online']) expect([...seen]).toContain(step);
		expect(loads).toEqual([]);
	});

	await test.step('the site is online, and a page that was open all along says so', async () => {
		await expect(site.getByText('2 of 2 online')).toBeVisible();
		await site.getByRole('link', { name: /^proven/ }).click();
		await expect(site.getByRole('heading', { name: 'Proof of Bluff Beacon' })).toBeVisible();
		await expect(site.getByText(/\d+ checks hold/)).toBeVisible();
		await page.goto('/sites?standing=online');
		await expect(page.getByRole('row').filter({ hasText: 'Bluff Beacon' })).toContainText('2 of 2');
	});

	await test.step('on the phone, a cable in another port is found, and told; moved back, the check holds again', async () => {
		const phone = await page.context().newPage();
		await phone.setViewportSize({ width: 390, height: 844 });
		await command(point.serial, { plug: { serial: router.serial, port: 'lan2' } });
		await visit(phone, `${sitePath}/proof`);
		await phone.getByRole('button', { name: 'Prove this site' }).click();
		const wired = phone.locator('[data-check="Cabled as planned"]').filter({ hasText: 'planned lan1' });
		await expect(wired.first()).toHaveAttribute('data-state', 'fails');
		await expect(phone.getByText('does not hold').first()).toBeVisible();
		await phone.getByRole('link', { name: 'See the cabling' }).first().click();
		await expect(phone.locator('[data-cable][data-state=elsewhere]')).toContainText('It is in port lan2');
		await command(point.serial, { plug: null });
		await visit(phone, `${sitePath}/proof`);
		await phone.getByRole('button', { name: 'Prove this site' }).click();
		await expect(phone.getByText(/\d+ checks hold/)).toBeVisible();
		await phone.close();
	});

	await test.step('it is handed over on a phone, signed, and verified by openssl alone', async () => {
		const phone = await page.context().newPage();
		await phone.setViewportSize({ width: 390, height: 844 });
		await visit(phone, `${sitePath}/handover`);
		await phone.getByLabel('Accepted by').fill('Moana Rickard');
		await phone.getByTestId('signature').scrollIntoViewIfNeeded();
		const pad = (await phone.getByTestId('signature').boundingBox())!;
		await phone.mouse.move(pad.x + 30, pad.y + 40);
		await phone.mouse.down();
		await phone.mouse.move(pad.x + 120, pad.y + 70, { steps: 12 });
		await phone.mouse.up();
		await phone.getByRole('button', { name: /^Hand over/ }).click();
		await expect(phone.getByRole('status').filter({ hasText: 'Handed over: number 1.' })).toBeVisible();
		const folder = mkdtempSync(join(tmpdir(), 'limen-handed-'));
		const pdf = (await phone.getByRole('link', { name: 'PDF' }).getAttribute('href'))!;
		for (const file of ['handover.pdf', 'handover.pdf.p7s', 'certificate.pem']) {
			const answer = await phone.request.get(pdf.replace('handover.pdf', file));
			expect(answer.ok()).toBe(true);
			writeFileSync(join(folder, file), await answer.body());
		}
		execFileSync(
			'openssl',
			[
				...[
					'cms',
					'-verify',
					'-binary',
					'-inform',
					'DER',
					'-in',
					'handover.pdf.p7s',
					'-content',
					'handover.pdf'
				],
				...['-CAfile', 'certificate.pem', '-purpose', 'any', '-out', '/dev/null']
			],
			{ cwd: folder, stdio: 'pipe' }
		);
		await phone.close();
	});

	await test.step('the unit’s page tells what it said, and the ledger who did what', async () => {
		page = await signedInAs(browser, 'Rua Penhale');
		await expect(
			page.getByRole('navigation', { name: 'Rooms', exact: true }).getByRole('link', { name: 'Intake' })
		).toHaveCount(0);
		await page.goto(`/find?q=${router.serial}`);
		await expect(page).toHaveURL(/\/units\//);
		for (const type of [
			'boot-image-mismatch',
			'boot-image-installed-rebooting',
			'config-complete',
			'bootstrap-complete',
			'proof'
		])
			await expect(page.locator(`[data-type="${type}"]`).first()).toBeVisible();
		await expect(page.getByText('running equals intended')).toBeVisible();
		await expect(page.getByRole('button', { name: 'Unbind' })).toHaveCount(0);
		await page.goto('/records');
		await expect(page.getByRole('row').filter({ hasText: `Unit ${router.serial} is online.` })).toBeVisible();
		await expect(
			page.getByRole('row').filter({ hasText: `Unit ${router.serial} bound to rt-1` })
		).toContainText('Ines Okafor');
	});
});

test('a unit that fails says why, is fixed, tries again and comes through without a second flash @long', async ({
	page
}) => {
	const gateway = await yardUnit('OG-2');
	await claim(page, 'Marlstone Veterinary', lineOf(gateway));
	await openPosition(page, 'Waimate clinic', 'gw-1');
	await bind(page, gateway.serial);
	await command(gateway.serial, { faults: ['rejected-line'], power: true });

	await visit(page, '/');
	const card = rowOf(page, gateway.serial);
	await expect(card).toContainText('failed at configuration');
	await expect(card).toContainText('line 7: unknown word "clock"');
	await expect(card).toContainText('Correct the profile or the value behind that line');
	await card.getByRole('link', { name: /^What .* said$/ }).click();
	await expect(page.locator('[data-type="config-error"]')).toContainText('unknown word');
	await expect(page.locator('.mark')).toContainText('clock {');

	await command(gateway.serial, { faults: [] });
	await page.getByRole('button', { name: 'Let it try again' }).click();
	await expect(page.getByText('connected now')).toBeVisible();
	await expect(page.locator('[data-type="proof"]')).toContainText('running equals intended');
	await expect(page.locator('[data-type="boot-image-installed-rebooting"]')).toHaveCount(1);
	await page.goto('/arrivals?at=person');
	await expect(rowOf(page, gateway.serial)).toHaveCount(0);
});

test(
	'other faults: a damaged download, a wrong claim code, a stranger, a unit that drops out',
	{ tag: '@long' },
	async ({ page }) => {
		const [damaged, wrong, drops, stranger] = [
			await yardUnit('OG-2'),
			await yardUnit('LF-6'),
			await yardUnit('OG-2'),
			await yardUnit('VT-340')
		];
		await claim(page, 'Marlstone Veterinary', [damaged, wrong, drops].map(lineOf).join('\n'));
		await openPosition(page, 'Twizel clinic', 'gw-1');
		await bind(page, damaged.serial);
		await openPosition(page, 'Twizel clinic', 'ap-lobby');
		await bind(page, wrong.serial);
		await openPosition(page, 'Fairlie clinic', 'gw-1');
		await bind(page, drops.serial);
		await command(damaged.serial, { faults: ['bad-hash'], power: true });
		await command(wrong.serial, { faults: ['wrong-code'], power: true });
		await command(drops.serial, { faults: ['drops-out'], power: true });
		await command(stranger.serial, { power: true });

		await page.goto('/arrivals');
		await expect(rowOf(page, damaged.serial)).toContainText('hash mismatch');
		await expect(rowOf(page, wrong.serial)).toContainText('wrong claim code');
		await expect(page.locator(`[data-caller="${stranger.serial}"]`)).toContainText('Nobody has claimed');
		await expect(rowOf(page, drops.serial)).toHaveAttribute('data-step', 'online');

		await test.step('a mistyped claim code is corrected on the unit’s page', async () => {
			await page.goto(`/find?q=${wrong.serial}`);
			await page.getByLabel(/^Claim code as printed/).fill(wrong.claimCode.split('').reverse().join(''));
			await page.getByRole('button', { name: 'Correct it' }).click();
			await expect(page.getByText('connected now')).toBeVisible();
		});
		for (const { serial } of [damaged, stranger]) await command(serial, { power: false });
	}
);

test('units that cannot reach us stay silent and say why on their own console', async () => {
	// One that believes its maker's vouchers needs no clock
	const cases = [['no-lease', 'no address', 'LF-6'], ['no-name', 'could not be resolved', 'LF-6'], ['wrong-clock', 'clock says 2020', 'BW-8P']] as const; // prettier-ignore
	for (const [fault, words, model] of cases) {
		const unit = await yardUnit(model);
		await command(unit.serial, { faults: [fault], power: true });
		await expect.poll(() => consoleOf(unit.serial)).toContain(words);
		await command(unit.serial, { faults: [], power: false });
	}
	const cabled = await yardUnit('LF-6');
	await command(cabled.serial, { cable: 'lan', power: true });
	await expect.poll(() => consoleOf(cabled.serial)).toContain('none on the uplink port');
	await command(cabled.serial, { cable: 'uplink', power: false });
});

test('a unit that does not know the time becomes what its owner signed, by a voucher for its nonce', async ({
	page
}) => {
	const unit = await yardUnit('OG-2');
	await claim(page, 'Marlstone Veterinary', lineOf(unit));
	await openPosition(page, 'Hanmer Springs clinic', 'gw-1');
	await bind(page, unit.serial);
	await command(unit.serial, { faults: ['wrong-clock'], power: true });
	await expect.poll(() => consoleOf(unit.serial)).toContain('bootstrap complete');
	await command(unit.serial, { faults: [], power: false });
});
