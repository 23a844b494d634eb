import type { Page } from '@playwright/test';
import axe, { type RunOptions } from 'axe-core';

/** Only what is wrong is wanted, which saves half the time; a theme changes colours and nothing else. */
const LOOKED_FOR: Record<'light' | 'dark', RunOptions> = {
	light: { resultTypes: ['violations'] },
	dark: { resultTypes: ['violations'], runOnly: ['color-contrast'] }
};

/** What axe finds serious or worse on the page that is open, in both themes: each with where it stands. */
export async function seriousIn(page: Page): Promise<string[]> {
	// Half a megabyte, handed over once for each page that is loaded
	if (!(await page.evaluate(() => 'axe' in window))) await page.evaluate(axe.source);
	const found: string[] = [];
	for (const [theme, looked] of Object.entries(LOOKED_FOR)) {
		await page.evaluate((dark) => document.documentElement.classList.toggle('dark', dark), theme === 'dark');
		const { violations } = await page.evaluate(
			async (options) => (globalThis as unknown as { axe: typeof axe }).axe.run(document, options),
			looked
		);
		for (const { id, impact, nodes } of violations)
			if (impact === 'serious' || impact === 'critical')
				found.push(
					`${theme} ${id}: ${nodes.map(({ html }) => html.slice(0, 160)).join(' | ')} ${nodes[0]!.failureSummary}`
				);
	}
	return found;
}
