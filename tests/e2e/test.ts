import { test as base } from '@playwright/test';

export * from '@playwright/test';

/** Who comes in during a test goes with it: every page that stays open loads anew at each change. */
export const test = base.extend<{ everybodyGoes: void }>({
	everybodyGoes: [
		async ({ browser }, use) => {
			await use();
			await Promise.all(browser.contexts().map((context) => context.close()));
		},
		{ auto: true }
	]
});
