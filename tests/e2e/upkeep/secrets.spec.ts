import { expect, test } from '../help/test';
import { signedInAs } from '../help/people';
import { rows as planned } from '../../../command/demo/files';
import { begin, rows, said, standing } from '../help/rollouts';
import { bringUpToDate } from '../help/sending';
import { bind, claim, command, lineOf, openPosition, visit, yardUnit } from '../help/yard';

const TUNNEL = 'timaru-orchard';
const HUB = planned('bindings.csv').find(({ site }) => site === 'The mill')!.serial!;

test('a tunnel’s secret is renewed at both its ends, with proof, and secrets that grow old are told @long', async ({
	browser
}) => {
	const page = await signedInAs(browser, 'Maren Aldous');
	const router = await yardUnit('VT-120');
	await claim(page, 'Pippin & Loaf', lineOf(router));
	await openPosition(page, 'Timaru Orchard', 'rt-1');
	await bind(page, router.serial);
	await command(router.serial, { power: true });
	await expect(
		page.getByRole('list', { name: 'Positions' }).getByRole('listitem').getByText('online').first()
	).toBeVisible();
	await bringUpToDate(page, HUB);
	await visit(page, '/upkeep/secrets');
	const row = page.locator(`[data-secret="${TUNNEL}"]`);
	await expect(row).toContainText('never');

	await test.step('it is chosen, and goes out as a rollout', async () => {
		await row.getByRole('checkbox').check();
		await page.getByRole('button', { name: 'Renew 1 secret' }).click();
		await expect(page).toHaveURL(/\/arrivals\/rollouts\/[0-9a-f-]{36}/);
		await expect(page.getByText(`${TUNNEL} at both ends together.`)).toBeVisible();
		await begin(page);
		await standing(page, 'over');
		await expect(rows(page, 'done')).toHaveCount(1);
		await expect(page.getByRole('button', { name: 'Plan to go back' })).toBeHidden();
	});

	await test.step('what proves it stands beside it', async () => {
		await visit(page, '/upkeep/secrets');
		await expect(row).toContainText(`rt-1 at Timaru Orchard: ${TUNNEL} came up with the new one.`);
		await expect(row).toContainText(`hub-1 at The mill: ${TUNNEL} came up with the new one.`);
		await expect(row).toContainText('made by Limen');
	});

	await test.step('a rule says how old one may become', async () => {
		await page.getByLabel('Of', { exact: true }).selectOption('Southfold Physio');
		await page.getByLabel('Which').selectOption('staff_secret');
		await page.getByLabel('Days').fill('0');
		await page.getByRole('button', { name: 'Let it count' }).click();
		await expect(page.getByText('One day at least.').first()).toBeVisible();
		await page.getByLabel('Days').fill('30');
		await page.getByRole('button', { name: 'Let it count' }).click();
		await expect(said(page, 'It counts from now on.')).toBeVisible();
		const old = page.locator('[data-secret="staff_secret"]').filter({ hasText: 'Southfold Physio' });
		await expect(old).toContainText(/in (29|30) days/);
		await page
			.getByRole('button', { name: 'Remove the rule of Southfold Physio about staff_secret' })
			.click();
		await expect(said(page, 'It no longer counts.')).toBeVisible();
		await expect(old).toContainText('no rule');
	});
});
