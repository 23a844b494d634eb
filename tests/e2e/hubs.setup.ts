import { expect, test } from '@playwright/test';
import { yardUnits } from './help/yard';

test('the hubs are there, by whose answers sites are proven', async () => {
	const away = async () =>
		(await yardUnits()).filter(({ power, doing }) => power && doing !== 'connected to its home');
	await expect.poll(away).toEqual([]);
});
