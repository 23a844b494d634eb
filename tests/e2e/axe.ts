import AxeBuilder from '@axe-core/playwright';
import type { Page } from '@playwright/test';

/** What axe finds serious or worse on the page that is open, in both themes: each with where it stands. */
export async function seriousIn(page: Page): Promise<string[]> {
	const found: string[] = [];
	for (const theme of ['light', 'dark']) {
		await page.evaluate((dark) => document.documentElement.classList.toggle('dark', dark), theme === 'dark');
		// There are no frames, and only what is wrong is wanted: both save most of the time
		const axe = new AxeBuilder({ page }).setLegacyMode().options({ resultTypes: ['violations'] });
		// A theme changes colours and nothing else
		const { violations } = await (theme === 'dark' ? axe.withRules('color-contrast') : axe).analyze();
		for (const { id, impact, nodes } of violations)
			if (impact === 'serious' || impact === 'critical')
				found.push(
					`${theme} ${id}: ${nodes.map(({ html }) => html.slice(0, 160)).join(' | ')} ${nodes[0]!.failureSummary}`
				);
	}
	return found;
}
