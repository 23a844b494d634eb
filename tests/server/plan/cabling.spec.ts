import { expect } from 'chai';
import { cablingOf, decideCabling, letFollow, patternById, savePattern } from '../../../src/lib/server/plan';
import { database } from '../../../src/lib/server/database';
import { ACTOR, answerOf, customerId, doneBy, get, newPerson, post, refusalOf, unwalled } from '../making';
import { again, CUSTOMER, fresh, newPattern, sitesOf, stamped } from './pattern-making';
import { must, why } from '../profile/profile-making';

const TWO_POINTS = [
	['rt-1', 'Bakery router'],
	['ap-counter', 'Indoor access point'],
	['ap-oven', 'Indoor access point']
] as const;

/** A site stamped from a pattern of its own. */
async function newSite(change: (patternId: string) => Promise<unknown> = async () => undefined) {
	const { id: patternId } = await newPattern(TWO_POINTS);
	await change(patternId);
	await stamped(patternId, [['site'], [fresh('site')]]);
	const [site] = await sitesOf(patternId);
	return { siteId: site!.id, patternId };
}
/** A site's cables in words. */
async function shown(siteId: string): Promise<string[]> {
	const { positions, cables } = (await cablingOf([siteId])).get(siteId)!;
	const name = (id: string) => positions.find((one) => one.id === id)!.name;
	return cables
		.map(
			({ near, far }) =>
				`${name(near.positionId)} ${near.port} > ${far ? `${name(far.positionId)} ${far.port}` : 'outside'}`
		)
		.sort();
}
const PROPOSED = [
	'ap-counter uplink > rt-1 ap_feed',
	'ap-oven uplink > rt-1 ap_feed_2',
	'rt-1 uplink > outside'
];

describe('cabling', () => {
	it('is what is proposed until somebody decides, and then stays as it was decided', async () => {
		const { siteId } = await newSite();
		expect(await shown(siteId)).to.deep.equal(PROPOSED);
		const { cables } = (await cablingOf([siteId])).get(siteId)!;
		const swapped = cables.map((cable) =>
			cable.far?.port === 'ap_feed' ? { ...cable, far: { ...cable.far, port: 'lan' } } : cable
		);
		must(await decideCabling(siteId, swapped, ACTOR));
		expect(await shown(siteId)).to.include('ap-counter uplink > rt-1 lan');
		const entry = await unwalled()('ledger_entry').where({ subject_id: siteId, act: 'plan cabling' }).first();
		expect(entry.words).to.match(/was planned: 3 cables/);
		must(await decideCabling(siteId, null, ACTOR));
		expect(await shown(siteId)).to.deep.equal(PROPOSED);
	});

	it('takes no port twice, leads nowhere else, and is for those who plan', async () => {
		const { siteId } = await newSite();
		const other = await newSite();
		const { cables, positions } = (await cablingOf([siteId])).get(siteId)!;
		const feed = cables.find(({ far }) => far)!;
		const [first] = positions;
		const foreign = (await cablingOf([other.siteId])).get(other.siteId)!.positions[0]!;
		for (const [given, words] of [
			[
				cables.map((cable) => (cable.far ? { ...cable, far: feed.far } : cable)),
				/two cables are in its port/
			],
			[[{ near: { positionId: first!.id, port: 'usb' }, far: null }], /has no port usb/],
			[[{ near: { positionId: foreign.id, port: 'uplink' }, far: null }], /is not there/],
			[[{ near: feed.near, far: { ...feed.near, port: 'lan' } }], /plugged into itself/]
		] as const)
			expect(why(await decideCabling(siteId, given, ACTOR))).to.match(words);
		const technician = await newPerson({ [CUSTOMER]: 'technician' });
		expect(why(await doneBy(technician, (actor) => decideCabling(siteId, cables, actor)))).to.match(
			/may not plan/
		);
		expect(await unwalled()('cable').where({ site_id: siteId })).to.deep.equal([]);
		const person = await newPerson({ [CUSTOMER]: 'coordinator' });
		const page = await get(`/sites/${siteId}`, person).then((answer) => answer.text());
		expect(page).to.include('As proposed; nobody has decided on it');
		for (const hostile of ['[', '[{"near":{"positionId":"x","port":"y"},"far":null}]', '"all of them"']) {
			const answer = await answerOf(await post(`/sites/${siteId}?/cable`, { cables: hostile }, {}, person));
			expect(answer, hostile).to.include({ type: 'failure', status: 400 });
		}
		must(await decideCabling(siteId, cables, ACTOR));
		const [row] = await unwalled()('cable').where({ site_id: siteId }).whereNotNull('far_port');
		// Nor does the database take a port for both ends
		const twice = unwalled()('cable').insert({
			id: other.siteId,
			site_id: siteId,
			customer_id: row.customer_id,
			near_position: row.far_position,
			near_port: row.far_port
		});
		expect(await refusalOf(twice)).to.match(/a port takes one cable/);
	});

	it('comes from a pattern where that says it, also for what the pattern adds later', async () => {
		const { siteId, patternId } = await newSite(async (id) => {
			const pattern = await again(id);
			const wrong = { near: { place: 7, port: 'uplink' }, far: null };
			expect(
				why(await savePattern(await customerId(CUSTOMER), { ...pattern, cables: [wrong] }, ACTOR))
			).to.match(/not in the pattern/);
			const twice = [1, 2].map((place) => ({
				near: { place, port: 'uplink' },
				far: { place: 0, port: 'ap_feed' }
			}));
			expect(
				why(await savePattern(await customerId(CUSTOMER), { ...pattern, cables: twice }, ACTOR))
			).to.match(/in one port/);
			const cables = [
				{ near: { place: 1, port: 'uplink' }, far: { place: 0, port: 'ap_feed_2' } },
				{ near: { place: 2, port: 'uplink' }, far: { place: 0, port: 'ap_feed' } },
				{ near: { place: 0, port: 'uplink' }, far: null }
			];
			must(await savePattern(await customerId(CUSTOMER), { ...pattern, cables }, ACTOR));
		});
		expect((await patternById(database(), patternId))!.cables).to.have.length(3);
		expect(await shown(siteId)).to.deep.equal([
			'ap-counter uplink > rt-1 ap_feed_2',
			'ap-oven uplink > rt-1 ap_feed',
			'rt-1 uplink > outside'
		]);
		const pattern = await again(patternId);
		const [place] = pattern.places.slice(-1);
		const added = { ...place!, id: null, name: 'ap-yard' };
		const yard = { near: { place: 3, port: 'uplink' }, far: { place: 0, port: 'lan' } };
		must(
			await savePattern(
				await customerId(CUSTOMER),
				{ ...pattern, places: [...pattern.places, added], cables: [yard] },
				ACTOR
			)
		);
		expect(await shown(siteId)).to.have.length(3);
		must(await letFollow(patternId, [siteId], ACTOR));
		expect(await shown(siteId))
			.to.include('ap-yard uplink > rt-1 lan')
			.and.have.length(4);
	});
});
