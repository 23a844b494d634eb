import { signedInAs } from './people';
import { expect, test } from './test';
import { visit } from './yard';

test('a report is put together by clicks, shown as it will be, and its figures are those of the file', async ({
	browser
}) => {
	const page = await signedInAs(browser, 'Rua Penhale');
	await visit(page, '/records');
	await page.getByRole('link', { name: 'Reports' }).click();
	await page.getByLabel('what there is').check();
	await page.getByLabel('how long sites').check();
	await page.getByRole('button', { name: 'last week' }).click();
	await page.getByRole('button', { name: 'Show it' }).click();
	const report = page.getByRole('article', { name: 'The report' });
	await expect(report.getByRole('heading', { name: 'What there is' })).toBeVisible();
	await expect(report.getByRole('heading', { name: 'How long sites were connected' })).toBeVisible();
	const shown = await report
		.getByRole('region', { name: 'What there is' })
		.getByRole('row')
		.evaluateAll((rows) =>
			rows.slice(1).map((row) => [...row.children].map((cell) => cell.textContent!.trim()))
		);
	expect(shown.length).toBeGreaterThan(0);
	const address = await page.getByRole('link', { name: 'Figures (CSV)' }).getAttribute('href');
	const csv = await (await page.request.get(address!)).text();
	for (const row of shown)
		expect(csv).toContain(row.map((cell) => (cell.includes(',') ? `"${cell}"` : cell)).join(','));
	const paper = await page.request.get(
		(await page.getByRole('link', { name: 'To read (PDF)' }).getAttribute('href'))!
	);
	expect(paper.headers()['content-type']).toBe('application/pdf');

	await page.getByLabel('Last day').fill('2001-01-01');
	await page.getByRole('button', { name: 'Show it' }).click();
	await expect(page.getByText('It ends before it begins.')).toBeVisible();
});
