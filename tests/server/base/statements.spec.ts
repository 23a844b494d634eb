import { expect } from 'chai';
import { database, runAs } from '../../../src/lib/server/database';
import { asOwner, boundUnit, customerLike, newPerson, type TestPerson } from '../making';

const as = <Result>({ id }: TestPerson, work: () => Promise<Result>) =>
	runAs({ kind: 'person', personId: id }, work);

/** Statements that are asked again and again are kept prepared on each connection. */
describe('statements that are kept', () => {
	it('are as many as there is room for, and those asked last', async () => {
		const person = await newPerson('administrator');
		const [all, last] = await as(person, () =>
			database().transaction(async (trx) => {
				for (let number = 0; number < 300; number++)
					for (let time = 0; time < 5; time++)
						expect((await trx.raw(`select ${number} + ?::int as sum`, [time])).rows[0].sum).to.equal(
							number + time
						);
				const { rows } = await trx.raw(
					`select count(*)::int as all, count(*) filter (where statement like 'select 299 %')::int as last from pg_prepared_statements`
				);
				return [rows[0].all, rows[0].last] as [number, number];
			})
		);
		expect(all).to.be.within(20, 150);
		expect(last).to.equal(1);
	});

	it('show each person only what is theirs, in whatever turn they ask', async () => {
		const others = await customerLike('Marlstone Veterinary');
		const [ours, theirs] = [await boundUnit(), await boundUnit('gateway', others)];
		const people = [
			[await newPerson({ 'Marlstone Veterinary': 'reader' }), ours.serial],
			[await newPerson({ [others]: 'reader' }), theirs.serial]
		] as const;
		for (let time = 0; time < 12; time++)
			for (const [person, serial] of people)
				expect(
					await as(person, () =>
						database().transaction((trx) =>
							trx('unit').whereIn('serial', [ours.serial, theirs.serial]).orderBy('serial').pluck('serial')
						)
					)
				).to.deep.equal([serial]);
	});

	it('are made anew when a table changes under them', async () => {
		const person = await newPerson('administrator');
		await asOwner('create table kept_shape (number integer); grant select on kept_shape to limen_people');
		try {
			await asOwner('insert into kept_shape values (7)');
			const ask = () => as(person, () => database()('kept_shape').pluck('number'));
			for (let time = 0; time < 40; time++) expect(await ask()).to.deep.equal([7]);
			await asOwner('alter table kept_shape alter number type text using number::text');
			for (let time = 0; time < 40; time++) expect(await ask()).to.deep.equal(['7']);
			await as(person, () => database().raw('deallocate all'));
			for (let time = 0; time < 40; time++) expect(await ask()).to.deep.equal(['7']);
		} finally {
			await asOwner('drop table kept_shape');
		}
	});
});
