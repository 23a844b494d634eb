import { expect, type Page } from '@playwright/test';
import { DEMO_PASSWORD } from './people';

export const said = (page: Page, words: string | RegExp) =>
	page.getByRole('status').filter({ hasText: words });
/** How the rollout on the page stands. */
export const standing = (page: Page, words: string) =>
	expect(page.locator('header').getByText(words, { exact: true })).toBeVisible();
/** Its units in a state. */
export const rows = (page: Page, state: string) => page.locator(`[data-state="${state}"]`);

/** Begins the rollout that is planned on the page. */
export async function begin(page: Page): Promise<void> {
	await page.getByRole('button', { name: 'Begin', exact: true }).click();
	const dialog = page.getByRole('dialog');
	await dialog.getByLabel(/^Why/).fill('For a test');
	const password = dialog.getByLabel('Your password');
	if (await password.isVisible()) await password.fill(DEMO_PASSWORD);
	await dialog.getByRole('button', { name: /go on$/i }).click();
	await expect(page.locator('[data-wave="0"]').getByText(/^Wave 1/)).toBeVisible();
}
