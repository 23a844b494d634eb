import { expect, test } from '@playwright/test';
import { signedInAs } from './help/people';
import { yardUnits } from './help/yard';

/** Who the other tests are, unless they say otherwise; kept for all of them. */
test('the administrator comes in from the demo’s list', async ({ browser }) => {
	const page = await signedInAs(browser, 'Sallowfield administrator');
	await page.context().storageState({ path: `${process.env.LIMEN_STATE_DIR}/administrator.json` });
});

test('the hubs are there, by whose answers sites are proven', async () => {
	const away = async () =>
		(await yardUnits()).filter(({ power, doing }) => power && doing !== 'connected to its home');
	await expect.poll(away).toEqual([]);
});
