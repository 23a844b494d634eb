import { test } from '@playwright/test';
import { signedInAs } from './people';

/** Who the other tests are, unless they say otherwise; kept for all of them. */
test('the administrator comes in from the demo’s list', async ({ browser }) => {
	const page = await signedInAs(browser, 'Sallowfield administrator');
	await page.context().storageState({ path: `${process.env.LIMEN_STATE_DIR}/administrator.json` });
});
