import { expect, type Page } from '@playwright/test';
import { DEMO_PASSWORD } from './people';
import { visit } from './yard';

/** Gives a position one value, in the sheet. */
export async function giveValue(page: Page, positionId: string, field: string, value: string): Promise<void> {
	await visit(page, `/values?position=${positionId}&field=${field}`);
	await expect(page.getByTestId('cell-words')).toContainText(field);
	await page.getByRole('grid', { name: 'Values' }).focus();
	// As fast as a hand: a burst of keys is a hand scanner's
	await page.keyboard.type(value, { delay: 60 });
	await page.keyboard.press('Enter');
	await page.getByRole('button', { name: /^Save \d/ }).click();
	await expect(page.getByRole('status').filter({ hasText: 'saved' })).toBeVisible();
}

/** Opens what would be sent to a unit. */
export async function toSendPage(page: Page, serial: string): Promise<void> {
	await visit(page, `/find?q=${serial}`);
	await page.getByRole('button', { name: 'More' }).click();
	await page.getByRole('link', { name: 'Send what it should run' }).click();
}

/** Looks at what a send changes, and sends it. */
export async function sendAfterLooking(page: Page, changed: string): Promise<void> {
	await expect(page.getByText(changed).first()).toBeVisible();
	await send(page);
}

/** Sends a unit what is due to it, if anything is: a hub that tests share may have been given another tunnel. */
export async function bringUpToDate(page: Page, serial: string): Promise<void> {
	await toSendPage(page, serial);
	const isUpToDate = page.getByText('It runs what it should.');
	await expect(isUpToDate.or(page.getByRole('button', { name: 'Send to this unit' }))).toBeVisible();
	if (await isUpToDate.isVisible()) return;
	await send(page);
	await expect(isUpToDate).toBeVisible();
}

async function send(page: Page): Promise<void> {
	await page.getByRole('button', { name: 'Send to this unit' }).click();
	const dialog = page.getByRole('dialog');
	await dialog.getByLabel(/^Why/).fill('It is planned so');
	// On a slow machine the sign-in is too long ago to count
	const password = dialog.getByLabel('Your password');
	if (await password.isVisible()) await password.fill(DEMO_PASSWORD);
	await dialog.getByRole('button', { name: /go on$/i }).click();
	await expect(page.getByRole('status').filter({ hasText: 'Taken up.' })).toBeVisible();
}
