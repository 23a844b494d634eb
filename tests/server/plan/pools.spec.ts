import { expect } from 'chai';
import {
	allotMissing,
	createPool,
	importUsed,
	poolMap,
	releaseAllotment,
	saveValues,
	sheetRows
} from '../../../src/lib/server/plan';
import { ACTOR, address, answerOf, customerId, newPerson, post, unwalled } from '../making';
import {
	fresh,
	freshField,
	must,
	why,
	field,
	releasedPart,
	releasedProfile
} from '../profile/profile-making';

describe('pools', () => {
	const customer = 'Southfold Physio';
	/** A pool for a field of its own, and sites that wait for it. */
	async function pool(block: string, length: number, sites: number, used: Record<string, string> = {}) {
		const name = freshField('block');
		const part = await releasedPart(`address {{ ${name} }};\n`, [
			field(name, { type: { kind: 'prefix' }, scope: 'site' })
		]);
		const profile = await releasedProfile(
			[part.revisionId],
			Array.from({ length: sites }, () => ({})),
			customer
		);
		for (const [index, value] of Object.entries(used))
			await unwalled()('site')
				.whereIn(
					'id',
					unwalled()('position')
						.where({ id: profile.positions[Number(index)] })
						.select('site_id')
				)
				.update({ values: JSON.stringify({ [name]: value }) });
		const made = await createPool(
			{
				customerId: await customerId(customer),
				name: fresh('Pool'),
				field: name,
				scope: 'site',
				range: { block, length },
				policy: 'next-free',
				warnBelow: 2
			},
			ACTOR
		);
		return { ...profile, field: name, made };
	}

	it('take over what is in use, give each site the next free block, and keep it until it is released', async () => {
		const { made, field: name, positions } = await pool('10.77.0.0/22', 24, 3, { 1: '10.77.0.0/24' });
		const { id, takenOver } = must(made);
		expect(takenOver).to.equal(1);
		expect(must(await importUsed(id, [{ value: '10.77.2.0/24', label: 'old' }], ACTOR)).count).to.equal(1);
		expect(must(await allotMissing(id, ACTOR))).to.deep.equal({ count: 2, left: 0 });
		const blocks = (await poolMap(id))!.allotments.map(({ block }) => block).sort();
		expect(blocks).to.deep.equal(['10.77.0.0/24', '10.77.1.0/24', '10.77.2.0/24', '10.77.3.0/24']);
		expect(why(await allotMissing(id, ACTOR))).to.match(/Every site that needs/);
		const first = (await poolMap(id))!.allotments.find(({ block }) => block === '10.77.1.0/24')!;
		must(await releaseAllotment(first.id, ACTOR));
		expect(why(await releaseAllotment(first.id, ACTOR))).to.equal('This was released already.');
		const site = await unwalled()('site').where({ id: first.siteId }).first('values');
		expect(site.values).to.not.have.property(name);
		// By hand only what is free
		const at = positions[0]!;
		const give = (now: string, was = '') => saveValues([{ positionId: at, field: name, was, now }], ACTOR);
		const outside = await give('10.78.0.0/24');
		expect(outside.ok ? '' : outside.cells[0]!.message).to.match(/lies outside the pool/);
		const present = (
			await sheetRows(
				{
					profileId: (await unwalled()('position').where({ id: at }).first('profile_id')).profile_id,
					customerId: null
				},
				0,
				9
			)
		).find(({ positionId }) => positionId === at)!.cells[0]!;
		const taken = await give('10.77.2.0/24', present);
		expect(taken.ok ? '' : taken.cells[0]!.message).to.match(/in use already/);
		expect((await give('10.77.1.0/25', present)).ok).to.equal(true);
		expect((await poolMap(id))!.allotments.some(({ block }) => block === '10.77.1.0/25')).to.equal(true);
	});

	it('say when there is too little, and give nothing then', async () => {
		const { id } = must((await pool('10.79.0.0/24', 25, 3)).made);
		expect(why(await allotMissing(id, ACTOR))).to.match(
			/room for 2 more in pool “.*”, and 3 are wanted. Nothing was allotted/
		);
		expect((await poolMap(id))!.allotments).to.deep.equal([]);
	});

	it('never give an address twice in a customer’s network, whoever asks at once; the database holds that too', async () => {
		const { id } = must((await pool('10.80.0.0/20', 24, 9)).made);
		const both = await Promise.all([allotMissing(id, ACTOR), allotMissing(id, ACTOR)]);
		expect(both.filter(({ ok }) => ok)).to.have.lengthOf(1);
		const [first] = (await poolMap(id))!.allotments;
		const row = await unwalled()('allotment').where({ id: first!.id }).first();
		const again = unwalled()('allotment').insert({
			...row,
			id: '00000000-0000-7000-8000-00000000aaaa',
			site_id: null,
			label: 'x',
			block: '10.80.0.128/25'
		});
		expect(await again.then(String, String)).to.match(/allotments_apart/);
		expect(why((await pool('10.80.8.0/24', 25, 0)).made)).to.match(/overlaps another pool/);
		// Another customer's network is another network
		const elsewhere = await createPool(
			{
				customerId: await customerId('Pippin & Loaf'),
				name: fresh('Pool'),
				field: freshField('f'),
				scope: 'site',
				range: { block: '10.80.0.0/20', length: 24 },
				policy: 'next-free',
				warnBelow: 0
			},
			ACTOR
		);
		expect(elsewhere.ok).to.equal(true);
	});

	it('hold numbers and IPv6 as well, and refuse what makes no sense', async () => {
		const { id } = must((await pool('2001:db8:40::/48', 64, 2)).made);
		must(await allotMissing(id, ACTOR));
		expect((await poolMap(id))!.allotments.map(({ block }) => block)).to.deep.equal([
			'2001:db8:40::/64',
			'2001:db8:40:1::/64'
		]);
		const engineer = await newPerson({ [customer]: 'engineer' });
		const make = async (more: Record<string, string>) =>
			await post(
				'/addresses?/make',
				{
					customer: await customerId(customer),
					name: fresh('Pool'),
					field: freshField('n'),
					scope: 'site',
					...more
				},
				{},
				engineer
			).then(answerOf);
		expect((await make({ block: '10.0.0.1/8', length: '24' })).data!.problem).to.match(
			/address and a length/
		);
		expect((await make({ block: '10.81.0.0/24', length: '20' })).data!.problem).to.match(/must fit/);
		expect((await make({ first: '9', last: '2' })).data!.problem).to.match(/not below/);
		const made = await make({ first: '100', last: '103' });
		expect(made.type).to.equal('redirect');
		expect(
			await fetch(address(made.location!), { headers: { cookie: engineer.cookie } }).then((answer) =>
				answer.text()
			)
		).to.include('100 to 103');
	});
});
