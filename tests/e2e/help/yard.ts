import { expect, type Page } from '@playwright/test';
import { newModelLabel } from '../../model-label';

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

/** A unit of a model that is this test's alone, in the yard without power; behind its firmware's target unless another is named. */
export async function yardUnit(model: string, version?: string): Promise<YardUnit> {
	const label = { ...newModelLabel(model), ...(version !== undefined && { version }) };
	const answer = await fetch(`${YARD}/units`, {
		method: 'POST',
		headers: { 'content-type': 'application/json' },
		body: JSON.stringify([label])
	});
	expect(answer.status).toBe(200);
	return (await yardUnits()).find((one) => one.serial === label.serial)!;
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
	// A site's page may show this position before it was asked for: what is told there goes when the link is followed
	await expect(page).toHaveURL(/position=/);
	await expect(page.getByRole('heading', { name: new RegExp(position) })).toBeVisible();
}

/** Gives a site’s form its appointment: a day and a time, `2026-12-01 09:30`. */
export async function appoint(page: Page, moment: string): Promise<void> {
	const [day, time] = moment.split(' ') as [string, string];
	await page.getByLabel('Appointment', { exact: true }).fill(day);
	await page.getByLabel('Appointment', { exact: true }).press('Enter');
	await page.getByLabel(/^Time, /).fill(time);
}

/** Opens the menu of a page’s other acts and takes one. */
export async function fromMenu(page: Page, name: string): Promise<void> {
	await page.getByRole('button', { name: 'More', exact: true }).first().click();
	await page.getByText(name, { exact: true }).click();
}

/** Binds a unit to the position that is open on the screen, by the end of its serial number. */
export async function bind(page: Page, serial: string): Promise<void> {
	await page.getByLabel(/^Serial number or MAC address/).fill(serial.slice(-6));
	await page.getByRole('button', { name: `Bind ${serial.slice(-4)}` }).click();
	await expect(page.getByRole('status').filter({ hasText: /Bound\./ })).toBeVisible();
}

/** All that a unit has said on its console. */
export const consoleOf = async (serial: string): Promise<string> =>
	(await yardUnits()).find((unit) => unit.serial === serial)!.console.join('\n');

/**
 * What a hand scanner types: all of it within a moment, and Enter. Keys that the browser is sent one by one
 * come as far apart as the machine is busy, which no scanner's do.
 */
export const scan = (page: Page, text: string): Promise<void> =>
	page.evaluate(
		(keys) => {
			for (const key of keys)
				(document.activeElement ?? document.body).dispatchEvent(
					new KeyboardEvent('keydown', { key, bubbles: true, cancelable: true })
				);
		},
		[...text, 'Enter']
	);

/** Where the yard’s own program listens to webhooks, and what it was told, the latest first. */
export const listenerAddress = (): string => `${YARD}/heard`;
export const heardBy = async (): Promise<{ id: string; type: string; [more: string]: unknown }[]> =>
	(
		(await (await fetch(listenerAddress(), { headers: { accept: 'application/json' } })).json()) as {
			event: { id: string; type: string };
		}[]
	).map(({ event }) => event);

/** Somebody else's inventory of places in the yard: where a program reads it, and making it say or do something else. */
export const inventoryAddress = (): string => `${YARD}/inventory/places`;
export async function inventory(what: object): Promise<void> {
	const answer = await fetch(`${YARD}/inventory`, {
		method: 'POST',
		headers: { 'content-type': 'application/json' },
		body: JSON.stringify(what)
	});
	expect(answer.status).toBe(200);
}
