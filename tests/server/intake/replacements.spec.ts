import { expect } from 'chai';
import { swapUnit } from '../../../src/lib/server/binding';
import { BOOTSTRAP, runAs } from '../../../src/lib/server/database';
import {
	beginReplacement,
	endReplacement,
	lookAtReplacements,
	placesOf,
	replacementById,
	replacementDays,
	swapPlaces,
	takeUnitsBack
} from '../../../src/lib/server/replacement';
import { onChange } from '../dialling';
import { ACTOR, doneBy, newPerson, unwalled } from '../making';
import { fresh, must, why } from '../profile/profile-making';
import { CUSTOMER, give, look, newGateway, replacing, type Bound } from './replacement-making';

const standings = async (id: string) => (await placesOf(id)).map(({ standing }) => standing);
const counts = async (id: string) => {
	const { going, coming } = (await replacementById(id))!;
	return [going, coming];
};

describe('replacing a model', () => {
	it('says who is to go, gives new units their places, swaps what is ready, and counts what shrinks beside what grows', async () => {
		const { id, bound } = await replacing(3);
		expect(await standings(id)).to.deep.equal(['no unit yet', 'no unit yet', 'no unit yet']);
		const [one, two, wrong, elsewhere] = [
			await newGateway(),
			await newGateway(),
			await newGateway('OG-2'),
			await newGateway('OG-8', 'Southfold Physio')
		];
		const [first, second] = await placesOf(id);
		const given = must(
			await give(id, `${one}\n${two}, ${first!.oldSerial}\n${wrong}\n${elsewhere}\n${first!.oldSerial}\n`)
		);
		expect(given.taken).to.equal(2);
		expect(given.refused.map(({ line, why: words }) => [line, words])).to.deep.equal([
			[3, 'It is of the model OG-2, not OG-8.'],
			[4, 'No unit of this customer has this serial number. Claim it first.'],
			[5, 'It is of the model OG-2, not OG-8.']
		]);
		expect((await placesOf(id)).map(({ unit }) => unit)).to.deep.equal([two, one, null]);
		expect(why(await give(id, one))).to.equal(
			'No unit has got a place. Line 1: It is meant for another place already.'
		);
		expect(await counts(id)).to.deep.equal([3, 0]);

		// One is swapped on site by its technician, the other with all that are ready
		const meant = (await placesOf(id))[0]!;
		must(await swapUnit(meant.positionId, meant.unitId!, { ...ACTOR, reason: 'on site' }));
		const all = bound.map(({ positionId }) => positionId);
		expect(must(await swapPlaces(id, all, ACTOR)).count).to.equal(1);
		await onChange(['replacements', 'runs', 'work'], async () => (await counts(id))[1] === 2);
		expect(await standings(id)).to.deep.equal(['replaced', 'replaced', 'no unit yet']);
		const old = await unwalled()('unit').where({ serial: second!.oldSerial }).first();
		expect(old.out_of_service_why).to.match(/^Replaced: old gateways/);
		expect(why(await swapPlaces(id, all, ACTOR))).to.match(/^None of them is ready/);

		await unwalled().raw(
			`insert into replacement_day select replacement_id, customer_id, current_date - 1, 3, 0 from replacement_day where replacement_id = ?`,
			[id]
		);
		await runAs(BOOTSTRAP, lookAtReplacements);
		const { going, coming } = await replacementDays(id);
		expect(going.map(({ units }) => units)).to.deep.equal([3, 1]);
		expect(coming.map(({ units }) => units)).to.deep.equal([0, 2]);
		must(await endReplacement(id, ACTOR));
		expect(why(await endReplacement(id, ACTOR))).to.equal('This replacement is over.');
		const acts: string[] = await unwalled()('ledger_entry')
			.where({ subject_id: id })
			.orderBy('id')
			.pluck('act');
		expect(acts).to.deep.equal(['begin replacement', 'give new units', 'end replacement']);
	});

	it('tells beforehand what does not match: role, text, ports', async () => {
		const { id, bound } = await replacing(2, 'vt-340');
		expect(await standings(id)).to.deep.equal(['no unit yet', 'no unit yet']);
		const { id: points } = await replacing(1, 'lf-6');
		const { problems } = (await placesOf(points))[0]!;
		expect(problems[0]).to.equal('A LF-6 cannot serve as gateway.');
		expect(problems.slice(1).join(' ')).to.match(/has no text for a LF-6/);
		expect(await standings(points)).to.deep.equal(['does not match']);

		const small = await replacing(1, 'og-2');
		expect(await placesOf(small.id), 'units of the model itself stay').to.deep.equal([]);
		const [{ positionId }] = bound as [Bound];
		await unwalled().raw(
			`insert into cable (id, site_id, customer_id, near_position, near_port) select gen_random_uuid(), site_id, customer_id, id, 'side_door' from position where id = ?`,
			[positionId]
		);
		await look(id);
		expect((await placesOf(id)).find((place) => place.positionId === positionId)!.problems[0]).to.equal(
			'A VT-340 has no port “side_door”, which a cable is planned for.'
		);
		// A unit that is given all the same is not swapped before that is mended
		must(await give(id, await newGateway('VT-340')));
		expect(why(await swapPlaces(id, [positionId], ACTOR))).to.match(/^None of them is ready/);
	});

	it('follows its rule, and forgets units that went elsewhere', async () => {
		const { id, bound } = await replacing(3);
		const [stays, leaves, swapped] = bound as [Bound, Bound, Bound];
		const [one, two] = [await newGateway(), await newGateway()];
		must(await give(id, `${one},${stays.serial}\n${two},${swapped.serial}`));
		await unwalled().raw(`update position set values = values - 'ring' where id = ?`, [leaves.positionId]);
		// The unit that was meant for one place is bound at another
		const { id: other } = await unwalled()('unit').where({ serial: one }).first('id');
		must(await swapUnit(swapped.positionId, other, { ...ACTOR, reason: 'by hand' }));
		await look(id);
		const places = await placesOf(id);
		expect(places.map(({ positionId }) => positionId)).to.have.members([
			stays.positionId,
			swapped.positionId
		]);
		expect(places.find(({ positionId }) => positionId === stays.positionId)).to.include({
			unit: null,
			standing: 'no unit yet'
		});
		expect(places.find(({ positionId }) => positionId === swapped.positionId)).to.include({
			unit: one,
			standing: 'replaced'
		});
		// And the one whose place was taken is free for another
		must(await give(id, `${two},${stays.serial}`));
		expect(must(await takeUnitsBack(id, [stays.positionId], ACTOR))).to.equal(1);
		expect(why(await takeUnitsBack(id, [stays.positionId], ACTOR))).to.equal(
			'No unit is meant for any of them.'
		);
	});

	it('is for those who may bind and unbind, once under a name, and seen behind the walls alone', async () => {
		const { id, name, cohort, bound } = await replacing(1);
		const serial = await newGateway();
		const reader = await newPerson({ [CUSTOMER]: 'reader' });
		const refused = 'Who may bind and unbind units of this customer may replace them.';
		expect(
			why(
				await doneBy(reader, (actor) => beginReplacement({ cohort, model: 'og-8', name: fresh('r') }, actor))
			)
		).to.equal(refused);
		expect(why(await doneBy(reader, (actor) => give(id, serial, actor)))).to.equal(refused);
		expect(why(await doneBy(reader, (actor) => swapPlaces(id, [bound[0]!.positionId], actor)))).to.equal(
			refused
		);
		const stranger = await newPerson({ 'Pippin & Loaf': 'engineer' });
		expect(await doneBy(stranger, () => replacementById(id))).to.equal(undefined);
		expect(why(await doneBy(stranger, (actor) => endReplacement(id, actor)))).to.equal(
			'There is no such replacement.'
		);
		expect(why(await beginReplacement({ cohort, model: 'og-8', name: name.toUpperCase() }, ACTOR))).to.equal(
			'A replacement of this name is under way.'
		);
		expect(why(await beginReplacement({ cohort, model: 'nothing', name: fresh('r') }, ACTOR))).to.equal(
			'There is no such model.'
		);
		expect(why(await give(id, ' , ;\n'))).to.equal('Give at least one serial number.');
		// Two who give the same unit at once: one is told
		const both = await Promise.all([give(id, serial), give(id, serial)]);
		expect(both.filter(({ ok }) => ok)).to.have.length(1);
	});
});
