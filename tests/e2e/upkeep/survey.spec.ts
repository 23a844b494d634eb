import { readFileSync } from 'node:fs';
import { expect, test, type Page } from '../help/test';
import { signedInAs } from '../help/people';
import { begin, said } from '../help/rollouts';
import { sendAfterLooking } from '../help/sending';
import { command, fromMenu, visit } from '../help/yard';

const CUSTOMER = 'Harrier Lodges';
/** The units of the demo that listen at addresses: the switch in the reception, and twelve lodges on it. */
const LODGES = (
	JSON.parse(readFileSync('demo/yard.json', 'utf8')) as {
		readonly serial: string;
		readonly line?: string;
		readonly listens?: boolean;
		readonly configurationFile?: string;
	}[]
).filter(({ listens }) => listens);
const serialOf = (name: string) =>
	LODGES.find(({ configurationFile }) => configurationFile?.includes(name))!.serial;

async function keepLogin(page: Page, name: string, ranges: string, user: string, password: string) {
	await visit(page, '/addresses/logins');
	const form = page.locator('form[action="?/keep"]');
	await form.getByLabel('Of').selectOption({ label: CUSTOMER });
	await form.getByLabel('Name').fill(name);
	await form.getByLabel('For addresses').fill(ranges);
	await form.getByLabel('User').fill(user);
	await form.getByLabel('Port').fill(process.env.LIMEN_YARD_SSH_PORT!);
	await form.getByLabel('Password', { exact: true }).fill(password);
	await form.getByRole('button', { name: 'Keep it' }).click();
	await expect(said(page, 'It is kept, sealed.')).toBeVisible();
}

test('a network that somebody else built is found, learnt, proved, placed and watched; one tweak is put right, one accepted, and it is held @long', async ({
	browser
}) => {
	for (const { serial } of LODGES) await command(serial, { power: true });
	for (const { serial } of LODGES)
		await expect
			.poll(async () => (await command(serial, { power: true })).doing, { timeout: 60_000 })
			.toBe('listening at its address');
	const page = await signedInAs(browser, 'Maren Aldous');
	const main = page.getByRole('main');
	const row = (name: string) =>
		page.getByRole('row').filter({ has: page.getByRole('button', { name, exact: true }) });

	await test.step('it is surveyed from one address; what cannot be logged into is there all the same', async () => {
		await keepLogin(page, 'Keeper', '127.40.0.0/16', 'keeper', 'the-keys-hang-by-the-door');
		await keepLogin(page, 'Desk', '127.40.40.0/24', 'desk', 'bell-then-book-9');
		await page.getByRole('link', { name: 'Surveys' }).click();
		await expect(page.getByRole('heading', { level: 1, name: 'Surveys' })).toBeVisible();
		await main.getByLabel('Of').selectOption({ label: CUSTOMER });
		await main.getByLabel('Name').fill('The lodges');
		await main.getByLabel('Begin at').fill('127.40.40.1');
		await main.getByLabel('Only within').fill('127.40.0.0/16');
		await page.getByRole('button', { name: 'Survey it' }).click();
		await expect(page.getByRole('heading', { level: 1, name: 'The lodges' })).toBeVisible();
		await expect(page.locator('header').getByText('done', { exact: true })).toBeVisible({ timeout: 60_000 });
		await expect(row('elder-gw')).toContainText('login refused');
		await expect(row('birch-tv')).toContainText('only heard of');
		await expect(row('birch-ap')).toContainText('port closed');
		await expect(row('reception-sw')).toContainText('BW-24P');
	});

	await test.step('the one that refused gets a login of its own, and the survey is done again', async () => {
		const survey = page.url();
		await keepLogin(page, 'Elder', '127.40.43.0/24', 'keeper', 'elder-keeps-its-own');
		await visit(page, survey);
		await page.getByRole('button', { name: 'Survey again' }).click();
		await expect(row('elder-gw')).toContainText('lets in', { timeout: 60_000 });
		await expect(page.locator('header').getByText('done', { exact: true })).toBeVisible({ timeout: 60_000 });
		await expect(page.getByText('1 changed')).toBeVisible();
	});

	await test.step('what is plugged in where is found, and the drawing shows what a thing is', async () => {
		await page.getByLabel('Where is').fill('10.40.41.50');
		await page.getByRole('button', { name: 'Find', exact: true }).click();
		await expect(said(page, 'lan0')).toContainText('birch-gw');
		const drawing = page.getByRole('group', { name: 'What was found, from the edge inwards' });
		await drawing.getByRole('button', { name: /^reception-sw/ }).click();
		const facts = page.getByRole('region', { name: 'What was chosen' });
		await expect(facts).toContainText('BW-24P, 3.1.0');
		await facts.getByRole('button', { name: 'larch-gw' }).click();
		await expect(facts).toContainText('VT-340');
		const download = page.waitForEvent('download');
		await fromMenu(page, 'The drawing as SVG');
		const svg = readFileSync(await (await download).path(), 'utf8');
		expect(svg).toContain('reception-sw');
		expect(svg).not.toContain('var(--');
	});

	const twelve = await test.step('the lodges are taken on, learnt and proved', async () => {
		await page.getByLabel('All that can be taken on').check();
		await page.getByLabel('Take on reception-sw').uncheck();
		await page.getByRole('button', { name: 'Take 12 units on' }).click();
		await expect(page).toHaveURL(/\/profiles\/takeon\//);
		await expect(page.getByText('All 12 proved')).toBeVisible({ timeout: 90_000 });
		await expect(page.getByText('cedar-gw has another')).toBeVisible();
		await expect(main).not.toContainText('by-the-door');
		return page.url();
	});

	await test.step('they become part of the plan, and are watched', async () => {
		await page.getByRole('button', { name: 'Make the profile' }).click();
		const dialog = page.getByRole('dialog');
		await dialog.getByLabel('Name').fill('Harrier lodge gateway');
		await dialog.getByRole('button', { name: 'Make it' }).click();
		await page.getByLabel('Why, or what is new').fill('Learnt');
		await page.getByRole('button', { name: 'Release revision 1' }).click();
		await expect(page.getByRole('button', { name: 'Release revision 1' })).toHaveCount(0);
		await visit(page, twelve);
		await page.getByRole('button', { name: 'Take all 12 on' }).click();
		await expect(page.getByText('12 of 12 in the plan')).toBeVisible({ timeout: 60_000 });
		await page.locator('[data-unit="cedar-gw"]').getByRole('link').click();
		await expect(page.getByRole('heading', { level: 1, name: 'Cedar Lodge' })).toBeVisible();
		await expect(page.getByRole('list', { name: 'Positions' }).getByText('online')).toBeVisible({
			timeout: 60_000
		});
	});

	/** Opens what a unit runs. */
	const runs = async (name: string) => {
		await visit(page, `/find?q=${serialOf(name)}`);
		await fromMenu(page, 'What it runs');
		await expect(page).toHaveURL(/\/versions/);
		return page.url();
	};
	const asIntended = page.locator('header').getByText('as intended', { exact: true });
	const typed = async (name: string, over: string, words: string) => {
		const at = await runs(name);
		await page.getByRole('button', { name: 'Read it now' }).click();
		// A click while the one before it is worked is none
		await expect(said(page, 'Read again')).toBeVisible();
		await expect(asIntended).toBeVisible();
		await command(serialOf(name), { type: { over, words } });
		await page.getByRole('button', { name: 'Read it now' }).click();
		await expect(page.locator('header').getByText('differs in 1 place')).toBeVisible();
		return at;
	};

	await test.step('what the manager of a lodge types is found, and put right', async () => {
		const at = await typed('birch', 'time.harrier.example', 'clock.example');
		await page.getByRole('link', { name: 'Put this right' }).click();
		await sendAfterLooking(page, 'time.harrier.example');
		await expect(
			page.getByRole('list', { name: 'Earlier sends to this unit' }).getByText('confirmed', { exact: true })
		).toBeVisible({ timeout: 90_000 });
		await visit(page, at);
		await expect(asIntended).toBeVisible();
	});

	await test.step('what another types is accepted', async () => {
		const at = await typed('gorse', 'label "Gorse rooms"', 'label "Gorse rooms and sauna"');
		await page.getByRole('link', { name: /^Accept into the plan/ }).click();
		await page.getByRole('button', { name: 'Accept at 1 unit' }).click();
		await expect(said(page, 'The plan says now what 1 unit runs.')).toBeVisible();
		await visit(page, at);
		await expect(asIntended).toBeVisible();
	});

	await test.step('it is held', async () => {
		await runs('birch');
		await page.getByLabel('What becomes of what drifts').selectOption('hold');
		await page.getByRole('button', { name: 'Keep it so' }).click();
		await expect(said(page, 'It counts from now on.')).toBeVisible();
		await command(serialOf('birch'), { type: { over: 'log.harrier.example', words: 'elsewhere.example' } });
		await page.getByRole('button', { name: 'Read it now' }).click();
		await expect(page.locator('header').getByText('differs in 1 place')).toBeVisible();
		await expect(asIntended).toBeVisible({ timeout: 150_000 });
		await expect(page.getByText(/^Version \d+: sent by Limen/)).toBeVisible();
	});

	await test.step('control is taken in stages, with Limen’s way in beside the old one', async () => {
		await visit(page, twelve);
		const control = page.getByRole('region', { name: 'Under control, stage by stage' });
		await control.getByRole('button', { name: /^Hold what is common at \d+ units$/ }).click();
		await expect(said(page, /Kept for \d+ units\./)).toBeVisible();
		await expect(control).toContainText('are reached at their address');
		await expect(control).toContainText('without the address to call home and the key that lets Limen in');
		await control.getByLabel('A part that makes it').selectOption({ label: 'Limen’s way in' });
		await control.getByRole('button', { name: 'Add it' }).click();
		await expect(page.getByText(/sites?: 5 lines$/).first()).toBeVisible();
		await page.getByLabel('Why, or what is new').fill('Limen’s way in');
		await page.getByRole('button', { name: 'Release revision 2' }).click();
		await expect(page.getByRole('button', { name: 'Release revision 2' })).toHaveCount(0);
		await visit(page, twelve);
		await control.getByRole('button', { name: 'Plan a rollout of it' }).click({ timeout: 180_000 });
		await expect(page.getByText('12 units at 12 sites are sent what is due.')).toBeVisible();
		await begin(page);
		// Rows out of sight are not drawn; how many there are stands above them
		const howTheyStand = page.getByRole('navigation', { name: 'Units by how they stand' });
		await expect(howTheyStand.getByRole('link', { name: '12 done' })).toBeVisible({ timeout: 240_000 });
		await visit(page, twelve);
		await expect(control).toContainText('12 call home, 0 are reached at their address');
	});
});
