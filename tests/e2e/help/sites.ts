import { expect, type Page } from '@playwright/test';
import { visit } from './yard';

/** A site’s form, begun; it follows no pattern unless one is named. */
export async function begin(page: Page, name: string, pattern?: string): Promise<void> {
	await visit(page, '/sites/new');
	await page
		.getByRole('combobox', { name: /^Customer/ })
		.last()
		.selectOption({ label: 'Marlstone Veterinary' });
	await page
		.getByLabel('Pattern', { exact: true })
		.selectOption(pattern === undefined ? 'none' : { label: pattern });
	if (pattern === undefined) await expect(page).toHaveURL(/pattern=none/);
	await page.getByLabel('Site', { exact: true }).fill(name);
	await page.getByLabel('Street', { exact: true }).fill('8 Main Road');
}
export const plan = (page: Page) => page.getByRole('button', { name: 'Plan the site' });

/** A site of a test's own, planned on its page. */
export async function planned(page: Page, name: string, pattern?: string): Promise<void> {
	await begin(page, name, pattern);
	await plan(page).click();
	await expect(page.getByRole('heading', { level: 1, name })).toBeVisible();
}
