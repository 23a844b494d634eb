import pg from 'pg';
import readXlsx from 'read-excel-file/node';
import { wordsOn } from '../../pdf';
import { letterTo, signedInAs } from '../help/people';
import { expect, test } from '../help/test';
import { visit } from '../help/yard';

/** Rows of a table of the report as the page shows it. */
const rowsOf = (page: import('@playwright/test').Page, title: string): Promise<string[][]> =>
	page
		.getByRole('article', { name: 'The report' })
		.getByRole('table', { name: title })
		.getByRole('row')
		.evaluateAll((rows) =>
			rows.slice(1).map((row) => [...row.children].map((cell) => cell.textContent!.trim()))
		);

/** As if a schedule had been stated in the last hour of yesterday: nothing but time brings that about. */
async function letItBeDue(name: string): Promise<void> {
	const client = new pg.Client({ connectionString: process.env.LIMEN_DATABASE_URL });
	await client.connect();
	await client.query(
		`update report_schedule set since = date_trunc('day', now(), 'UTC') - interval '1 hour' where name = $1`,
		[name]
	);
	await client.end();
}

test('a report is put together by clicks, shown as it will be, sent by itself, and the figures that arrive are those of the page @long', async ({
	browser
}) => {
	const page = await signedInAs(browser, 'Ines Okafor');
	await visit(page, '/records');
	await page.getByRole('link', { name: 'Reports' }).click();
	await page.getByLabel('what there is').check();
	await page.getByLabel('how long sites').check();
	await page.getByLabel('how units did').check();
	await page.getByLabel('memory').uncheck();
	await page.getByLabel('Of', { exact: true }).selectOption('Pippin & Loaf');
	await page.getByRole('button', { name: 'the day before' }).click();
	await page.getByRole('button', { name: 'Show it' }).click();
	const report = page.getByRole('article', { name: 'The report' });
	await expect(report.getByRole('heading', { name: 'What there is' })).toBeVisible();
	const [inventory, health, figures] = [
		await rowsOf(page, 'What there is'),
		await rowsOf(page, 'How long sites were connected'),
		await rowsOf(page, 'How units did')
	];
	expect(inventory.length).toBeGreaterThan(0);
	expect(health.length).toBeGreaterThan(0);
	expect(figures.length).toBeGreaterThan(0);

	await page.getByRole('link', { name: 'Send it regularly' }).click();
	await page.getByLabel('Name', { exact: true }).fill('What the bakery gets');
	await page.getByLabel('How often', { exact: true }).selectOption('every day');
	await page.getByLabel('At', { exact: true }).selectOption('00:00');
	await page.getByLabel('By the clock of').fill('UTC');
	await page.getByLabel('To', { exact: true }).fill('nobody');
	await page.getByRole('button', { name: 'Send it from now on' }).click();
	await expect(page.getByText('“nobody” is no e-mail address.')).toBeVisible();
	await page.getByLabel('To', { exact: true }).fill('bakery@pippin.example');
	await page.getByRole('button', { name: 'Send it from now on' }).click();
	await expect(page.getByRole('heading', { level: 1, name: 'What the bakery gets' })).toBeVisible();
	await letItBeDue('What the bakery gets');

	const sent = page.getByRole('list', { name: 'What was sent' }).getByRole('link');
	await expect(sent).toHaveCount(1, { timeout: 90_000 });
	const letter = await letterTo('bakery@pippin.example');
	expect(letter.subject).toContain('Pippin & Loaf: report');
	expect(letter.attached).toEqual([
		expect.stringMatching(/^report-.*\.pdf$/),
		expect.stringMatching(/^report-.*\.xlsx$/)
	]);
	const attached = async (place: number) =>
		new Uint8Array(
			await (
				await page.request.get(
					`http://127.0.0.1:${process.env.LIMEN_YARD_PORT}/letters/${letter.number}/${place}`
				)
			).body()
		);
	const paper = (await wordsOn(await attached(0))).join('');
	const book = await readXlsx(Buffer.from(await attached(1)));
	const sheet = (title: string) =>
		book
			.find(({ sheet: name }) => name === title)!
			.data.slice(1)
			.map((row) => row.map((cell) => String(cell ?? '')));
	expect(sheet('What there is')).toEqual(inventory);
	for (const row of inventory) expect(paper).toContain(row.join('').replaceAll(/\s/g, ''));
	// What is known of yesterday is read again meanwhile; the sites stay
	const sites = (rows: readonly (readonly string[])[]) => rows.map(([, site]) => site).sort();
	expect(sites(sheet('How long sites were connected'))).toEqual(sites(health));
	expect(sheet('How units did').map((row) => row.slice(0, 5))).toEqual(figures.map((row) => row.slice(0, 5)));

	await sent.click();
	await expect(page.getByRole('list', { name: 'To whom it went' })).toContainText('bakery@pippin.example');
	expect(await rowsOf(page, 'What there is')).toEqual(inventory);
	await page.getByLabel('To', { exact: true }).fill('again@pippin.example');
	await page.getByRole('button', { name: 'Send it' }).click();
	expect((await letterTo('again@pippin.example')).attached).toEqual(letter.attached);

	await page.getByRole('link', { name: 'What the bakery gets' }).click();
	await page.getByRole('button', { name: 'Stop sending it' }).click();
	await expect(page).toHaveURL(/\/records\/reports$/);
	await expect(
		page.getByRole('list', { name: 'Reports that are sent regularly' }).getByText('What the bakery gets')
	).toHaveCount(0);
});

test('whoever only reads takes reports away, whose figures are those of the page, and is told what is wrong @long', async ({
	browser
}) => {
	const page = await signedInAs(browser, 'Rua Penhale');
	await visit(page, '/records/reports?part=inventory&part=standing');
	const inventory = await rowsOf(page, 'What there is');
	await expect(page.getByRole('link', { name: 'Send it regularly' })).toHaveCount(0);
	await page.getByRole('button', { name: 'Make its files' }).click();
	const csvLink = page.getByRole('link', { name: 'Figures (CSV)' });
	const csv = await (await page.request.get((await csvLink.getAttribute('href'))!)).text();
	for (const row of inventory)
		expect(csv).toContain(row.map((cell) => (cell.includes(',') ? `"${cell}"` : cell)).join(','));
	const paper = await page.request.get(
		(await page.getByRole('link', { name: 'To read (PDF)' }).getAttribute('href'))!
	);
	expect(paper.headers()['content-type']).toBe('application/pdf');

	await visit(page, '/records/reports?part=inventory');
	await page.getByLabel('Last day').fill('2001-01-01');
	await page.getByRole('button', { name: 'Show it' }).click();
	await expect(page.getByText('It ends before it begins.')).toBeVisible();
});
