import { expect, test, type Page } from '../help/test';
import { signedInAs } from '../help/people';
import { release, saveDraft } from '../help/profile-acts';
import { bind, command, openPosition, visit, yardUnit } from '../help/yard';

const SITE = 'Bluff Kiosk';

async function rehearse(page: Page): Promise<void> {
	await visit(page, '/sites?q=Bluff Kiosk');
	await page.getByRole('link', { name: SITE }).click();
	await page.getByRole('link', { name: 'What would come of it?' }).click();
	await expect(page.getByRole('heading', { level: 1, name: `Rehearsal of ${SITE}` })).toBeVisible();
}

test('a rehearsal names the line that the unit then rejects, and is clean once that is mended @long', async ({
	browser
}) => {
	const page = await signedInAs(browser, 'Maren Aldous');
	const unit = await yardUnit('VT-120');
	await visit(page, '/intake');
	await page.getByLabel('For', { exact: true }).selectOption({ label: 'Pippin & Loaf' });
	await page
		.getByLabel(/^Units, one a line/)
		.fill(`serial,mac,claim code,firmware\n${unit.serial},${unit.mac},${unit.claimCode},${unit.version}`);
	await page.getByRole('button', { name: /^Claim/ }).click();
	await expect(page.getByText('1 claimed').first()).toBeVisible();
	await openPosition(page, SITE, 'rt-1');
	await bind(page, unit.serial);

	let line = '';
	await test.step('what would go wrong stands there with the text behind it', async () => {
		await rehearse(page);
		const problem = page.getByRole('region', { name: 'What would go wrong' }).getByRole('listitem').first();
		await expect(problem).toContainText(
			`Firmware ${unit.version} does not know the word “keep-apart” inside “segment guests”.`
		);
		await expect(problem).toContainText(/Line \d+ of Guest network, revision \d+/);
		line = /reject line (\d+)/.exec((await problem.textContent())!)![1]!;
		await problem.getByRole('link', { name: 'Open the line' }).click();
		await expect(page.getByRole('heading', { level: 1, name: 'Guest network' })).toBeVisible();
		await expect(page.locator('.cm-lintRange-error').first()).toBeVisible();
	});

	await test.step('and the unit rejects that line', async () => {
		await command(unit.serial, { power: true });
		await visit(page, '/arrivals');
		await expect(page.locator(`[data-serial="${unit.serial}"]`)).toContainText('failed at configuration');
		await visit(page, `/find?q=${unit.serial}`);
		await expect(page.getByText(`line ${line}: unknown word "keep-apart"`).first()).toBeVisible();
	});

	await test.step('with a firmware that knows it, it would come online, and does', async () => {
		await visit(page, '/profiles');
		await page.getByRole('link', { name: 'Kiosk router' }).click();
		await page.getByRole('tab', { name: 'Firmware and scripts' }).click();
		await page.getByLabel('veltrane-branch', { exact: true }).selectOption('4.2.1');
		await saveDraft(page);
		await page.getByRole('link', { name: 'What releasing it changes' }).click();
		await page.getByRole('button', { name: 'Rehearse it where units are to come' }).click();
		await expect(page.getByText(/Would come online/).first()).toBeVisible();
		await page.goBack();
		await page.goBack();
		await release(page, 'The firmware that knows what is written for it');
		await rehearse(page);
		await expect(page.getByText(/^Would come online, about .* after power\./)).toBeVisible();
		await expect(page.getByText(`firmware ${unit.version} → 4.2.1`)).toBeVisible();
		await visit(page, `/find?q=${unit.serial}`);
		await page.getByRole('button', { name: 'Let it try again' }).first().click();
		await visit(page, '/arrivals');
		await expect(page.locator(`[data-serial="${unit.serial}"]`)).toHaveAttribute('data-step', 'online');
	});
});

test(
	'the evening before, what a site lacks is told by letter and on Today, until it is closed',
	{ tag: '@long' },
	async ({ browser }) => {
		const page = await signedInAs(browser, 'Ines Okafor');
		const site = 'Twizel Rimu';
		await test.step('a letter, at an hour of one’s own, which is this one', async () => {
			const hour = new Intl.DateTimeFormat('en-GB', {
				timeZone: 'Pacific/Auckland',
				hour: 'numeric',
				hourCycle: 'h23'
			}).format(new Date());
			await visit(page, '/account');
			await page
				.getByLabel('What is due tomorrow, and what it still lacks')
				.selectOption(String(Number(hour)));
			await page.getByRole('button', { name: 'Choose letters' }).click();
			await expect(page.getByText('Your letters are as you chose.')).toBeVisible();
		});
		await test.step('an appointment tomorrow, as the site counts days', async () => {
			const tomorrow = new Intl.DateTimeFormat('sv', { timeZone: 'Pacific/Auckland' }).format(
				Date.now() + 24 * 3_600_000
			);
			await visit(page, `/sites?q=${site}`);
			await page.getByRole('link', { name: site }).click();
			await page.getByRole('link', { name: 'Edit the site' }).click();
			await page.getByLabel('Appointment', { exact: true }).fill(tomorrow);
			await page.getByLabel('Appointment', { exact: true }).press('Enter');
			await page.getByLabel(/^Time, /).fill('09:30');
			await page.getByRole('button', { name: 'Save the site' }).click();
			await expect(page.getByText(/09:30, 60 min/)).toBeVisible();
		});
		await test.step('Today says what is missing, and so does the letter', async () => {
			await visit(page, '/');
			const due = page.getByRole('listitem').filter({ hasText: site });
			await expect(due).toContainText('No unit is bound.');
			await expect
				.poll(async () =>
					(await lettersTo('ines.okafor@sallowfield.example')).find((text) => text.includes(site))
				)
				.toContain('rt-1: No unit is bound.');
		});
		await test.step('the week shows it, and its act leads to where it is closed', async () => {
			await visit(page, '/sites/week');
			if (!(await page.locator(`[data-site="${site}"]`).isVisible()))
				await page.getByRole('link', { name: 'The week after' }).click();
			await page
				.locator(`[data-site="${site}"]`)
				.getByRole('link', { name: /gaps?$/ })
				.click();
			await page
				.getByRole('list', { name: 'What is missing' })
				.getByRole('listitem')
				.filter({ hasText: 'rt-1: No unit is bound.' })
				.getByRole('link', { name: 'Bind a unit' })
				.click();
			await expect(page.getByRole('heading', { name: 'Bind a unit to rt-1' })).toBeVisible();
		});
	}
);

/** The letters that came to an address at the demo’s mail server. */
async function lettersTo(address: string): Promise<readonly string[]> {
	const answer = await fetch(`http://127.0.0.1:${process.env.LIMEN_YARD_PORT}/letters`, {
		headers: { accept: 'application/json' }
	});
	const letters = (await answer.json()) as { to: string; text: string }[];
	return letters.filter(({ to }) => to === address).map(({ text }) => text);
}
