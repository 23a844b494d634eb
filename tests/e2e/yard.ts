import { expect, type Page } from '@playwright/test';

/** The yard by its own interface: the same that a person has on its page. */
const YARD = `http://127.0.0.1:${process.env.LIMEN_YARD_PORT}`;

export interface YardUnit {
	readonly serial: string;
	readonly mac: string;
	readonly claimCode: string;
	readonly model: string;
	readonly version: string;
	readonly power: boolean;
	readonly doing: string;
	readonly console: readonly string[];
}

export const yardUnits = async (): Promise<YardUnit[]> =>
	(await fetch(`${YARD}/units`).then((answer) => answer.json())).units;

const TARGETS = ['4.2.1', '7.0.3', '2.6.0'];
const used = new Set<string>();

/** A unit of a model that no test has used and whose firmware is behind its target. */
export async function yardUnit(model: string): Promise<YardUnit> {
	const unit = (await yardUnits()).find(
		(one) => one.model === model && !used.has(one.serial) && !one.power && !TARGETS.includes(one.version)
	);
	if (!unit) throw new Error(`The yard has no ${model} left.`);
	used.add(unit.serial);
	return unit;
}

export async function command(serial: string, what: object): Promise<YardUnit> {
	const answer = await fetch(`${YARD}/units/${serial}`, {
		method: 'POST',
		headers: { 'content-type': 'application/json' },
		body: JSON.stringify(what)
	});
	expect(answer.status).toBe(200);
	return answer.json();
}

export const lineOf = ({ serial, mac, claimCode }: YardUnit) => `${serial}, ${mac}, ${claimCode}`;

/** Opens a page and waits until it answers to keys and clicks. */
export async function visit(page: Page, path: string): Promise<void> {
	await page.goto(path);
	await expect(page.locator('html')).toHaveAttribute('data-ready', 'yes');
}

/** Claims units through the interface. */
export async function claim(page: Page, customer: string, text: string): Promise<void> {
	await visit(page, '/intake');
	await page.getByLabel('For', { exact: true }).selectOption({ label: customer });
	await page.getByLabel(/^Units, one a line/).fill(text);
	await page.getByRole('button', { name: /^Claim/ }).click();
	// What is not waited for can be cut off by going on
	await expect(page.getByRole('heading', { name: /of \d+ claimed/ })).toBeVisible();
}

/** Opens a site's position through the interface. */
export async function openPosition(page: Page, site: string, position: string): Promise<void> {
	await visit(page, '/sites');
	await page.getByLabel('Filter sites').fill(site);
	await expect(page).toHaveURL(/q=/);
	await page.getByRole('link', { name: site, exact: true }).click();
	await page
		.getByRole('list', { name: 'Positions' })
		.getByRole('listitem')
		.filter({ hasText: position })
		.getByRole('link')
		.click();
	await expect(page.getByRole('heading', { name: new RegExp(position) })).toBeVisible();
}

/** Binds a unit to the position that is open on the screen, by the end of its serial number. */
export async function bind(page: Page, serial: string): Promise<void> {
	await page.getByLabel(/^Serial number or MAC address/).fill(serial.slice(-6));
	await page.getByRole('button', { name: `Bind ${serial.slice(-4)}` }).click();
	await expect(page.getByRole('status').filter({ hasText: 'Bound' })).toBeVisible();
}

/** All that a unit has said on its console. */
export const consoleOf = async (serial: string): Promise<string> =>
	(await yardUnits()).find((unit) => unit.serial === serial)!.console.join('\n');
