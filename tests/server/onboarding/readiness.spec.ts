import { expect } from 'chai';
import { BOOTSTRAP, runAs } from '../../../src/lib/server/database';
import { readinessAt } from '../../../src/lib/server/watch';
import { lookWhoIsReady } from '../../../src/lib/server/watch/ready';
import { boundUnit, doneBy, get, newPerson, openPosition, unwalled } from '../making';

const customer = 'Southfold Physio';
const siteOf = async (positionId: string): Promise<string> =>
	(await unwalled()('position').where({ id: positionId }).first('site_id')).site_id;
/** A site with an appointment tomorrow; others that wait are not before it. */
async function dueSite(positionId: string, facts: object = {}): Promise<string> {
	const id = await siteOf(positionId);
	await unwalled()('site')
		.where({ id })
		.update({ appointment_at: new Date(Date.now() + 24 * 3_600_000), ...facts });
	return id;
}
async function looked(siteId: string): Promise<readonly string[] | undefined> {
	await unwalled()('site_readiness').where({ site_id: siteId }).delete();
	await runAs(BOOTSTRAP, lookWhoIsReady);
	const gaps = (await runAs(BOOTSTRAP, () => readinessAt([siteId]))).get(siteId);
	return gaps?.map(({ kind }) => kind);
}

describe('readiness of sites', () => {
	it('is looked at by itself before an appointment, and kept with where each gap is closed', async () => {
		const { positionId, unitId } = await boundUnit('gateway', customer);
		const id = await dueSite(positionId, { access_hours: 'daily 3 to 3' });
		await unwalled()('unit').where({ id: unitId }).update({ ownership: 'asked' });
		expect(await looked(id)).to.include.members(['fact', 'technician', 'registry', 'hours']);
		expect(await looked(id)).to.not.include('unit');
		await unwalled()('unit').where({ id: unitId }).update({ ownership: 'confirmed' });
		await unwalled()('site').where({ id }).update({ access_hours: '' });
		expect(await looked(id)).to.not.include.members(['registry']);
	});

	it('is of sites that are due within a week, and seen by their own customer’s people', async () => {
		const open = await openPosition('gateway', customer);
		const id = await dueSite(open);
		expect(await looked(id)).to.include('unit');
		const stranger = await newPerson({ 'Pippin & Loaf': 'coordinator' });
		expect((await doneBy(stranger, () => readinessAt([id]))).size).to.equal(0);
		const coordinator = await newPerson({ [customer]: 'coordinator' });
		expect((await doneBy(coordinator, () => readinessAt([id]))).size).to.equal(1);
		const page = await get(`/sites/${id}`, coordinator).then((answer) => answer.text());
		expect(page).to.include('No unit is bound.').and.include('Bind a unit');
		await unwalled()('site')
			.where({ id })
			.update({ appointment_at: new Date(Date.now() + 30 * 86_400_000) });
		expect(await looked(id)).to.equal(undefined);
	});
});
