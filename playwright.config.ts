import { defineConfig } from '@playwright/test';
import { CHROMIUM, CHROMIUM_ARGUMENTS } from './command/packages';

/** What one run leaves behind; several run beside each other. */
const STATE = process.env.LIMEN_STATE_DIR ?? '.limen/test';

export default defineConfig({
	testDir: 'tests/e2e',
	testMatch: '*.spec.ts',
	outputDir: `${STATE}/shown`,
	// How long a test waits for what must happen: only a fault reaches it, however busy the machine is
	timeout: 600_000,
	expect: { timeout: 120_000 },
	// One after another: the tests share one world, and the machine has two cores
	workers: 1,
	reporter: [['list'], ['json']],
	projects: [
		{ name: 'the hubs are there', testMatch: '*.setup.ts' },
		{ name: 'browser', dependencies: ['the hubs are there'] }
	],
	use: {
		baseURL: `http://127.0.0.1:${process.env.LIMEN_PORT}`,
		actionTimeout: 120_000,
		viewport: { width: 1280, height: 800 },
		screenshot: 'only-on-failure',
		launchOptions: {
			executablePath: CHROMIUM,
			args: [...CHROMIUM_ARGUMENTS]
		}
	}
});
