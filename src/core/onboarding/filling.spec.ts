import { expect } from 'chai';
import fc from 'fast-check';
import { fillByRules, nearestFirst, type FillingRule, type FreeUnit, type OpenPlace } from './filling';
import { pairingWarnings } from './pairing';

const NOW = 1_000_000_000;
const models = fc.constantFrom('small', 'large', 'point');
const roles = fc.constantFrom('gateway', 'router', 'access-point');
const units = fc.uniqueArray(
	fc.record({ id: fc.uuid(), serial: fc.stringMatching(/^[0-9A-F]{4}$/), modelId: models }),
	{
		selector: ({ id }) => id,
		maxLength: 12
	}
);
const places = fc.uniqueArray(
	fc.record({
		id: fc.uuid(),
		name: fc.constantFrom('gw-1', 'gw-2'),
		siteName: fc.stringMatching(/^[a-d]{1,3}$/),
		roleId: roles,
		appointmentAt: fc.option(fc.integer({ min: 0, max: 2 * NOW }))
	}),
	{ selector: ({ id }) => id, maxLength: 12 }
);
const rules = fc.uniqueArray(
	fc.record({ id: fc.uuid(), modelId: models, roleId: roles, held: fc.boolean() }),
	{
		selector: ({ modelId, roleId }) => `${modelId} ${roleId}`,
		maxLength: 6
	}
);

describe('filling open positions by rules', () => {
	it('keeps its laws', () => {
		fc.assert(
			fc.property(units, places, rules, (units, places, rules) => {
				const filled = fillByRules(units, places, rules, NOW);
				const once = (ids: readonly string[]) => expect(new Set(ids).size).to.equal(ids.length);
				once(filled.map(({ unitId }) => unitId));
				once(filled.map(({ positionId }) => positionId));
				const placeOf = new Map(places.map((place) => [place.id, place]));
				const unitOf = new Map(units.map((unit) => [unit.id, unit]));
				for (const { unitId, positionId, ruleId, held } of filled) {
					const rule = rules.find(({ id }) => id === ruleId)!;
					expect(rule.modelId).to.equal(unitOf.get(unitId)!.modelId);
					expect(rule.roleId).to.equal(placeOf.get(positionId)!.roleId);
					expect(rule.held).to.equal(held);
				}
				// Nothing nearer is left open than what was filled of the same role
				const nearer = nearestFirst(NOW);
				const taken = new Set(filled.map(({ positionId }) => positionId));
				for (const open of places.filter(({ id }) => !taken.has(id)))
					for (const { positionId } of filled)
						if (placeOf.get(positionId)!.roleId === open.roleId)
							expect(nearer(placeOf.get(positionId)!, open)).to.be.at.most(0);
				// Who stays free had nowhere left to go
				const idle = units.filter(({ id }) => !filled.some(({ unitId }) => unitId === id));
				for (const { modelId } of idle)
					for (const rule of rules.filter((one) => one.modelId === modelId))
						expect(places.filter(({ id, roleId }) => roleId === rule.roleId && !taken.has(id))).to.deep.equal(
							[]
						);
			})
		);
	});

	it('does not depend on the order in which things are given', () => {
		fc.assert(
			fc.property(units, places, rules, (units, places, rules) => {
				const key = (all: ReturnType<typeof fillByRules>) =>
					all.map(({ unitId, positionId }) => `${unitId} ${positionId}`).sort();
				const distinct = new Set(places.map(({ siteName, name, roleId }) => `${siteName} ${name} ${roleId}`));
				fc.pre(distinct.size === places.length);
				expect(
					key(fillByRules([...units].reverse(), [...places].reverse(), [...rules].reverse(), NOW))
				).to.deep.equal(key(fillByRules(units, places, rules, NOW)));
			})
		);
	});

	it('takes the nearest appointment first, before or after now, and those without one last', () => {
		const place = (name: string, appointmentAt: number | null): OpenPlace => ({
			id: name,
			name,
			siteName: 'x',
			roleId: 'gateway',
			appointmentAt
		});
		const free = (id: string): FreeUnit => ({ id, serial: id, modelId: 'small' });
		const rule: FillingRule = { id: 'r', modelId: 'small', roleId: 'gateway', held: true };
		const filled = fillByRules(
			['a', 'b', 'c', 'd'].map(free),
			[place('none', null), place('late', NOW + 9), place('soon', NOW + 2), place('past', NOW - 3)],
			[rule],
			NOW
		);
		expect(filled.map(({ positionId }) => positionId)).to.deep.equal(['soon', 'past', 'late', 'none']);
	});
});

describe('what speaks against a pairing', () => {
	const clues = { siteName: 'Nelson clinic', shippedTo: null, heardAt: null };
	it('is nothing when nothing is known', () => expect(pairingWarnings(clues)).to.deep.equal([]));
	it('is another site on the delivery note', () =>
		expect(pairingWarnings({ ...clues, shippedTo: 'Timaru clinic' })).to.deep.equal([
			'It was shipped to Timaru clinic, not to Nelson clinic.'
		]));
	it('is a network far away, not one next door', () => {
		const heard = (kilometres: number | null) =>
			pairingWarnings({
				...clues,
				heardAt: { address: '203.0.113.9', siteName: 'Timaru clinic', kilometres }
			});
		expect(heard(12)).to.deep.equal([]);
		expect(heard(371.4)).to.deep.equal([
			'It calls from 203.0.113.9, like the units of Timaru clinic, 371 km away.'
		]);
		expect(heard(null)).to.deep.equal(['It calls from 203.0.113.9, like the units of Timaru clinic.']);
	});
});
