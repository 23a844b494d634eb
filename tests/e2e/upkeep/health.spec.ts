import Papa from 'papaparse';
import { figureWords } from '../../../src/core/health';
import { signedInAs } from '../help/people';
import { expect, test } from '../help/test';
import { visit } from '../help/yard';

test('how a site did is found from the worst on, looked at nearer, and is the same in the chart, the table and the file', async ({
	browser
}) => {
	const page = await signedInAs(browser, 'Rua Penhale');
	await visit(page, '/upkeep/health?span=month');
	const shares = await page
		.locator('[data-site] td:nth-child(2) [data-uptime]')
		.evaluateAll((marks) => marks.map((mark) => parseFloat((mark as HTMLElement).dataset.uptime!)));
	expect(shares.length).toBeGreaterThanOrEqual(3);
	expect(shares).toEqual([...shares].sort((one, other) => one - other));
	const place = page.locator('[data-site="Marlstone data centre"]');
	const said = await place.locator('td:nth-child(3) [data-uptime]').textContent();
	await place.getByRole('link', { name: 'Marlstone data centre' }).click();
	await expect(page.getByRole('heading', { level: 1, name: 'How Marlstone data centre does' })).toBeVisible();
	await page.getByRole('link', { name: 'hub-1' }).click();
	await expect(page).toHaveURL(/\/units\/[0-9a-f-]{36}\/health\?span=month/);
	await expect(page.locator('header [data-uptime]')).toHaveText(said!);
	const month = page.url();

	const busy = page.getByRole('region', { name: 'How busy is it?' });
	const processor = busy.locator('[data-line=processor] b');
	/** What a file comes to: the mean of all that is known, each stretch by how much of it is. */
	async function fromFile(): Promise<string> {
		const href = await page.getByRole('link', { name: 'Download as CSV' }).getAttribute('href');
		const text = await (await page.request.get(href!)).text();
		const rows = Papa.parse<Record<string, string>>(text.slice(1), {
			header: true,
			skipEmptyLines: true
		}).data;
		const own = rows.filter(({ Figure }) => Figure === 'processor');
		const known = own.reduce((sum, row) => sum + Number(row['Share known']), 0);
		const mean = own.reduce((sum, row) => sum + Number(row.Mean) * Number(row['Share known']), 0) / known;
		return figureWords('processor', mean);
	}
	const before = await fromFile();
	await expect(processor).toHaveText(before);
	await page.getByRole('link', { name: 'As a table' }).click();
	await expect(page.locator('[data-figure=processor] td').nth(2)).toHaveText(before);
	await page.getByRole('link', { name: 'As charts' }).click();

	await test.step('dragging looks nearer, and one comes back', async () => {
		const drawing = busy.getByRole('img');
		const box = (await drawing.boundingBox())!;
		const middle = box.y + box.height / 2;
		await page.mouse.move(box.x + box.width * 0.6, middle);
		await page.mouse.down();
		await page.mouse.move(box.x + box.width * 0.7, middle, { steps: 4 });
		await page.mouse.up();
		await expect(page).toHaveURL(/from=\d+&to=\d+/);
		await page.mouse.move(2, 2);
		const nearer = await fromFile();
		await expect(processor).toHaveText(nearer);
		const { searchParams } = new URL(page.url());
		const days = (Number(searchParams.get('to')) - Number(searchParams.get('from'))) / 86_400_000;
		expect(days).toBeGreaterThan(2);
		expect(days).toBeLessThan(5);
		await page.getByRole('link', { name: 'Look from further away' }).click();
		await expect(
			page.getByRole('navigation', { name: 'Over which time' }).locator('[aria-current]')
		).toHaveText('Week');
	});

	await test.step('of a time of which nothing is known nothing is said', async () => {
		await visit(page, `${new URL(month).pathname}?from=1500000000000&to=1500500000000`);
		await expect(page.getByText('Nothing is known of this time.')).toBeVisible();
		await expect(page.getByRole('img')).toHaveCount(0);
	});
});

test('the map says of each place what the list says of its sites, and of many the worst', async ({
	browser
}) => {
	const page = await signedInAs(browser, 'Sallowfield administrator');
	await visit(page, '/upkeep/health?span=week');
	const map = page.getByRole('group', { name: 'Where are they?' });
	const marks = await map
		.locator('[aria-label]')
		.evaluateAll((all) => all.map((one) => one.getAttribute('aria-label')!));
	const sites = await page.locator('[data-site]').evaluateAll((rows) =>
		rows.map((row) => {
			const said = row.querySelector('td .standing')?.textContent?.trim() ?? 'online';
			return {
				name: (row as HTMLElement).dataset.site!,
				state: said === 'online' || said === 'not heard' ? said : 'late'
			};
		})
	);
	const stateOf = new Map(sites.map(({ name, state }) => [name, state]));
	let many = 0;
	for (const mark of marks) {
		const group = /^\d+ sites here, (.+) at worst: open them$/.exec(mark);
		if (!group) {
			const [, name, state] = /^(.+), ([^,]+)$/.exec(mark)!;
			expect(state, name).toBe(stateOf.get(name!));
			continue;
		}
		many++;
		await map.getByLabel(mark, { exact: true }).first().press('Enter');
		const members = await page.getByLabel('Sites at that place').getByRole('link').allTextContents();
		const states = members.map((name) => stateOf.get(name));
		expect(group[1], members.join()).toBe(
			['not heard', 'late', 'online'].find((state) => states.includes(state))
		);
		await page.getByRole('button', { name: 'Whole' }).click();
	}
	expect(many).toBeGreaterThan(0);
});
