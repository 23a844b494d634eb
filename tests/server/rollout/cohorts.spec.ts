import { expect } from 'chai';
import { cohorts, countCohorts, dropCohort, keepCohort } from '../../../src/lib/server/cohorts';
import { BOOTSTRAP, runAs } from '../../../src/lib/server/database';
import { ACTOR, boundUnit, customerId, doneBy, newPerson, newUnit, unwalled } from '../making';
import { fresh, must, why } from '../profile/profile-making';

const CUSTOMER = 'Southfold Physio';

describe('a cohort', () => {
	it('is what a list of units shows, counted each day for those who see its customer', async () => {
		const customer = await customerId(CUSTOMER);
		const unit = await boundUnit('gateway', CUSTOMER);
		const name = fresh('one unit');
		const keep = (actor = ACTOR) => keepCohort({ customer, name, rule: `q=${unit.serial}` }, actor);
		const technician = await newPerson({ [CUSTOMER]: 'technician' });
		expect(why(await doneBy(technician, keep))).to.match(/kept by those who may send/);
		must(await keep());
		expect(why(await keep())).to.equal('There is a cohort of this name.');
		const found = async (customers: readonly string[] | null = [customer]) =>
			(await cohorts(customers)).find((one) => one.name === name);
		expect((await found())!.sizes.map(({ units }) => units)).to.deep.equal([1]);
		const elsewhere = await newPerson({ 'Marlstone Veterinary': 'engineer' });
		expect(await doneBy(elsewhere, () => found(null))).to.equal(undefined);

		// Yesterday it was larger, and today it is counted again
		const { id } = (await found())!;
		await unwalled().raw(
			`insert into cohort_size (cohort_id, customer_id, day, units) values (?, ?, current_date - 1, 7)`,
			[id, customer]
		);
		await runAs(BOOTSTRAP, countCohorts);
		expect((await found())!.sizes.map(({ units }) => units)).to.deep.equal([7, 1]);
		expect(why(await doneBy(technician, (actor) => dropCohort(id, actor)))).to.match(/may not drop/);
		must(await dropCohort(id, ACTOR));
		expect(await found()).to.equal(undefined);
		expect(why(await dropCohort(id, ACTOR))).to.equal('It is gone already.');
	});

	it('whose rule matches nothing, or everything, is counted as such', async () => {
		const customer = await customerId(CUSTOMER);
		await newUnit('gateway', CUSTOMER);
		const [none, all] = [fresh('none'), fresh('all')];
		must(await keepCohort({ customer, name: none, rule: 'q=nothing-is-called-so&standing=strange' }, ACTOR));
		must(await keepCohort({ customer, name: all, rule: '' }, ACTOR));
		const size = async (name: string) =>
			(await cohorts([customer])).find((one) => one.name === name)!.sizes.at(-1)!.units;
		expect(await size(none)).to.equal(0);
		const [{ count }] = (await unwalled()('unit').where({ customer_id: customer }).count()) as [
			{ count: string }
		];
		expect(await size(all)).to.be.within(1, Number(count));
	});

	it('can be told by profile, by a value of the plan and by age, and never by what is sealed', async () => {
		const customer = await customerId(CUSTOMER);
		const unit = await boundUnit('gateway', CUSTOMER);
		const { profile_id, values } = await unwalled()('position').where({ id: unit.positionId }).first();
		const size = async (more: string) => {
			const name = fresh('told');
			must(await keepCohort({ customer, name, rule: `q=${unit.serial}&${more}` }, ACTOR));
			return (await cohorts([customer])).find((one) => one.name === name)!.sizes[0]!.units;
		};
		expect(await size(`profile=${profile_id}`)).to.equal(1);
		expect(await size(`profile=${unit.positionId}`)).to.equal(0);
		expect(await size('profile=nonsense')).to.equal(0);
		expect(await size('age=30')).to.equal(0);
		await unwalled()('unit')
			.where({ id: unit.unitId })
			.update({ claimed_at: unwalled().raw(`now() - interval '31 days'`) });
		expect(await size('age=30')).to.equal(1);
		const field = (name: string, value: string) => size(`field=${encodeURIComponent(`${name}=${value}`)}`);
		await unwalled().raw(
			`update position set values = values || '{"ring": "inner=1", "code": "sealed:abc"}' where id = ?`,
			[unit.positionId]
		);
		expect(await field('hostname', values.hostname)).to.equal(1);
		expect(await field('ring', 'inner=1')).to.equal(1);
		expect(await field('ring', 'inner')).to.equal(0);
		expect(await field('code', 'sealed:abc')).to.equal(0);
	});
});
