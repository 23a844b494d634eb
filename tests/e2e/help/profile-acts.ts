import { expect, type Page } from '@playwright/test';

/** Waits until the impact is computed; what it says. */
export async function impact(page: Page): Promise<string> {
	await expect(page.getByTestId('impact')).toBeVisible();
	return (await page.getByTestId('impact').textContent())!.replace(/\s+/g, ' ');
}
/** Saves a profile’s draft. */
export async function saveDraft(page: Page): Promise<void> {
	await page.getByRole('button', { name: 'Save draft' }).click();
	await expect(page.getByRole('status').filter({ hasText: 'The draft is saved' })).toBeVisible();
	await expect(page.getByRole('button', { name: 'Save draft' })).toBeDisabled();
}
/** Releases the draft that is open; what it changes. */
export async function release(page: Page, why: string): Promise<string> {
	await page.getByRole('link', { name: 'What releasing it changes' }).click();
	const words = await impact(page);
	await page.getByLabel(/^Why, or what is new/).fill(why);
	await page.getByRole('button', { name: /^Release revision/ }).click();
	await expect(page.getByText('in force')).toBeVisible();
	return words;
}
