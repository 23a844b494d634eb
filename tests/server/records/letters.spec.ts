import { expect } from 'chai';
import { BOOTSTRAP, runAs } from '../../../src/lib/server/database';
import { chooseLetters, letterWishesOf } from '../../../src/lib/server/watch';
import { writeLetters } from '../../../src/lib/server/watch/letters';
import { lookWhoIsReady } from '../../../src/lib/server/watch/ready';
import {
	answerOf,
	boundUnit,
	doneBy,
	get,
	newPerson,
	post,
	report,
	unwalled,
	type TestPerson
} from '../making';

const CUSTOMER = 'Southfold Physio';
const siteOf = async (positionId: string) =>
	unwalled()('site')
		.join('position', 'position.site_id', 'site.id')
		.where({ 'position.id': positionId })
		.first<{ id: string; name: string }>('site.id', 'site.name');
const lettersTo = ({ email }: TestPerson): Promise<{ subject: string; text: string }[]> =>
	unwalled()('mail').where({ to_address: email }).orderBy('id').select('subject', 'text');
const written = () => runAs(BOOTSTRAP, writeLetters);
const wants = (person: TestPerson, wishes: Partial<Parameters<typeof chooseLetters>[0]>) =>
	doneBy(person, (actor) =>
		chooseLetters(
			{ evening: null, stuck: undefined, through: undefined, ...wishes },
			{ ...actor, personId: person.id }
		)
	);
/** A unit whose run has failed, in these words. */
async function failed(words: string) {
	const unit = await boundUnit('gateway', CUSTOMER);
	await report(unit, 'bootstrap-initiated');
	await report(unit, 'config-error', { message: words });
	return { ...unit, site: await siteOf(unit.positionId) };
}
const longAgo = (person: TestPerson) =>
	unwalled()('letter_wish').where({ person_id: person.id }).update({ told_at: '-infinity' });

describe('letters about sites', () => {
	it('are chosen by each for themselves', async () => {
		const coordinator = await newPerson({ [CUSTOMER]: 'coordinator' });
		expect(await doneBy(coordinator, () => letterWishesOf(coordinator.id))).to.include({
			evening: null,
			whenStuck: false
		});
		const choose = async (wishes: Record<string, string>) =>
			(await post('/account?/letters', wishes, {}, coordinator).then(answerOf)).type;
		expect(await choose({ evening: '17', stuck: 'on' })).to.equal('success');
		expect(await doneBy(coordinator, () => letterWishesOf(coordinator.id))).to.deep.equal({
			evening: 17,
			whenStuck: true,
			whenThrough: false,
			whenAlert: false
		});
		expect(await (await get('/account', coordinator)).text()).to.include('Letters about sites');
		const other = await newPerson({ [CUSTOMER]: 'coordinator' });
		expect(await doneBy(other, () => letterWishesOf(coordinator.id))).to.include({ evening: null });
		for (const evening of ['24', '-1', 'soon'])
			expect(await choose({ evening }), evening).to.equal('failure');
	});

	it('say the evening before what is due and what it lacks, once, to whom it concerns', async () => {
		const { positionId } = await boundUnit('gateway', CUSTOMER);
		const site = await siteOf(positionId);
		const [coordinator, technician, elsewhere, stranger, early] = [
			await newPerson({ [CUSTOMER]: 'coordinator' }),
			await newPerson({ [CUSTOMER]: 'technician' }),
			await newPerson({ [CUSTOMER]: 'technician' }),
			await newPerson({ 'Pippin & Loaf': 'coordinator' }),
			await newPerson({ [CUSTOMER]: 'coordinator' })
		];
		// Tomorrow at nine, where the site is; the hour there is whichever it is now
		await unwalled().raw(
			`update site set technician_id = ?, appointment_at = ((now() at time zone time_zone)::date + 1 + time '09:00') at time zone time_zone where id = ?`,
			[technician.id, site!.id]
		);
		const { hour } = (
			await unwalled().raw(
				`select extract(hour from now() at time zone time_zone)::int as hour from site where id = ?`,
				[site!.id]
			)
		).rows[0];
		for (const person of [coordinator, technician, elsewhere, stranger])
			await wants(person, { evening: hour });
		// Of whom it is not yet the hour: later today, unless the day is nearly over there
		await wants(early, { evening: hour === 23 ? null : hour + 1 });
		await runAs(BOOTSTRAP, lookWhoIsReady);
		await written();
		await written();
		for (const person of [coordinator, technician]) {
			const letters = (await lettersTo(person)).filter(({ text }) => text.includes(site!.name));
			expect(letters).to.have.length(1);
			expect(letters[0]!.subject).to.match(/: \d+ sites?, \d+ not ready$/);
			expect(letters[0]!.text)
				.to.include(`09:00 ${site!.name}`)
				.and.include(`/sites/${site!.id}`)
				.and.include(`${technician.name} goes there`)
				.and.match(/Not ready:\n {2}- /);
		}
		for (const person of [elsewhere, stranger, early]) {
			const letters = await lettersTo(person);
			expect(letters.filter(({ text }) => text.includes(site!.name))).to.deep.equal([]);
		}
	});

	it('tell what needs somebody, gathered: never one for each unit, and nothing twice', async () => {
		const coordinator = await newPerson({ [CUSTOMER]: 'coordinator' });
		const before = await failed('an old story');
		await wants(coordinator, { stuck: 'on' });
		const [one, two] = [await failed('no space in flash'), await failed('no space in flash')];
		await written();
		const [letter, ...more] = await lettersTo(coordinator);
		expect(more).to.deep.equal([]);
		expect(letter!.subject).to.match(/sites need somebody/);
		for (const { site } of [one, two])
			expect(letter!.text).to.include(`${site!.name}: 1 unit failed.\n  no space in flash`);
		expect(letter!.text).to.not.include(before.site!.name);
		const three = await failed('no space in flash');
		await written();
		expect(await lettersTo(coordinator), 'so soon after the last').to.have.length(1);
		await longAgo(coordinator);
		await written();
		const [, second] = await lettersTo(coordinator);
		expect(second!.text).to.include(three.site!.name).and.not.include(one.site!.name);
		await longAgo(coordinator);
		await written();
		expect(await lettersTo(coordinator)).to.have.length(2);
	});

	it('come to nobody who may not come in any more', async () => {
		const gone = await newPerson({ [CUSTOMER]: 'coordinator' });
		await wants(gone, { stuck: 'on' });
		await failed('too late');
		await unwalled()('person').where({ id: gone.id }).update({ disabled_at: new Date() });
		await written();
		expect(await lettersTo(gone)).to.deep.equal([]);
	});
});
