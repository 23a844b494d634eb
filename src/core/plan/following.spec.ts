import { expect } from 'chai';
import fc from 'fast-check';
import type { Value, Values } from '../profile';
import { following, type FollowChange, type Pattern, type StampedPlace, type StampedSite } from './following';

const values = fc.dictionary(
	fc.constantFrom('vlan', 'ssid', 'note'),
	fc.constantFrom<Value>('a', 'b', 7, true)
);
const place = fc.record({
	id: fc.uuid(),
	name: fc.constantFrom('gw-1', 'ap-1', 'ap-2', 'ap-3'),
	roleId: fc.constantFrom('gateway', 'access-point'),
	profileId: fc.constantFrom('p1', 'p2'),
	values
});
const pattern: fc.Arbitrary<Pattern> = fc.record({
	siteValues: values,
	// As the database holds them: neither an id nor a name comes twice
	places: fc.uniqueArray(place, {
		comparator: (one, other) => one.name === other.name || one.id === other.id,
		maxLength: 4
	})
});

const stamped = ({ siteValues, places }: Pattern): StampedSite => ({
	values: siteValues,
	stamped: siteValues,
	places: places.map((one) => ({
		...one,
		id: `at ${one.id}`,
		patternPlaceId: one.id,
		stamped: { profileId: one.profileId, values: one.values },
		hasHistory: false
	}))
});

const without = (given: Values, field: string, to: Value | null): Values => {
	const { [field]: gone, ...rest } = given;
	void gone;
	return to === null ? rest : { ...rest, [field]: to };
};

/** A site after the changes are made, as the server makes them. */
function made(site: StampedSite, wanted: Pattern, changes: readonly FollowChange[]): StampedSite {
	let places = [...site.places];
	let siteValues = site.values;
	const change = (id: string, by: (one: StampedPlace) => Partial<StampedPlace>) =>
		(places = places.map((one) => (one.id === id ? { ...one, ...by(one) } : one)));
	for (const one of changes) {
		if (one.kind === 'add')
			places.push({
				...one.place,
				id: `at ${one.place.id}`,
				patternPlaceId: one.place.id,
				stamped: null,
				hasHistory: false
			});
		else if (one.kind === 'remove') places = places.filter(({ id }) => id !== one.position.id);
		else if (one.kind === 'adopt')
			change(one.position.id, (now) => ({
				patternPlaceId: one.place.id,
				values: { ...one.place.values, ...now.values }
			}));
		else if (one.kind === 'rename') change(one.position.id, () => ({ name: one.to }));
		else if (one.kind === 'profile') change(one.position.id, () => ({ profileId: one.to }));
		else if (one.position === null) siteValues = without(siteValues, one.field, one.to);
		else change(one.position.id, (now) => ({ values: without(now.values, one.field, one.to) }));
	}
	return {
		values: siteValues,
		stamped: wanted.siteValues,
		places: places.map((now) => {
			const from = wanted.places.find(({ id }) => id === now.patternPlaceId);
			return from ? { ...now, stamped: { profileId: from.profileId, values: from.values } } : now;
		})
	};
}

describe('following a pattern', () => {
	it('has nothing to change at a site just stamped', () => {
		fc.assert(
			fc.property(pattern, (one) => {
				expect(following(one, stamped(one))).to.deep.equal({ changes: [], kept: [] });
			})
		);
	});
	it('leaves nothing to change once the changes are made, however the pattern changed', () => {
		fc.assert(
			fc.property(pattern, pattern, fc.infiniteStream(fc.boolean()), (before, after, same) => {
				// Some places of the pattern stay the same ones, changed
				const wanted = {
					...after,
					places: after.places.map((one, index) => {
						const old = before.places[index];
						const id = old && same.next().value ? old.id : one.id;
						return { ...one, id };
					})
				};
				let site = stamped(before);
				// Each round can free a name that the next one takes: never more rounds than there are places
				for (let round = 0; round <= wanted.places.length; round++)
					site = made(site, wanted, following(wanted, site).changes);
				expect(following(wanted, site).changes).to.deep.equal([]);
			})
		);
	});
	it('never changes what was given at the site itself', () => {
		fc.assert(
			fc.property(pattern, values, values, (before, own, wanted) => {
				const site = { ...stamped(before), values: { ...before.siteValues, ...own } };
				const { changes } = following({ ...before, siteValues: wanted }, site);
				for (const change of changes)
					if (change.kind === 'value' && change.position === null)
						expect(site.values[change.field]).to.deep.equal(before.siteValues[change.field]);
			})
		);
	});
	it('keeps a position that has a history, and says so', () => {
		const before = {
			siteValues: {},
			places: [{ id: 'x', name: 'ap-1', roleId: 'r', profileId: 'p', values: {} }]
		};
		const site = stamped(before);
		const used = { ...site, places: site.places.map((one) => ({ ...one, hasHistory: true })) };
		expect(following({ siteValues: {}, places: [] }, used)).to.deep.include({ changes: [] });
		expect(following({ siteValues: {}, places: [] }, used).kept.map(({ why }) => why)).to.deep.equal([
			'has history'
		]);
		expect(following({ siteValues: {}, places: [] }, site).changes.map(({ kind }) => kind)).to.deep.equal([
			'remove'
		]);
	});
});
