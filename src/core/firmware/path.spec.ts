import { expect } from 'chai';
import fc from 'fast-check';
import { upgradePath, type FirmwareVersion } from './path';

const LINE: readonly FirmwareVersion[] = [
	{ version: '1', from: [] },
	{ version: '2', from: ['1'] },
	{ version: '3', from: ['2'] },
	{ version: '4', from: ['2', '3'] }
];

describe('the way from one firmware to another', () => {
	it('is the shortest that the maker allows', () => {
		expect(upgradePath(LINE, '1', '4')).to.deep.equal(['2', '4']);
		expect(upgradePath(LINE, '2', '3')).to.deep.equal(['3']);
		expect(upgradePath(LINE, '3', '3')).to.deep.equal([]);
		expect(upgradePath(LINE, '4', '1')).to.deep.equal(['1']);
	});

	it('is none where none is allowed, and direct where nothing is known', () => {
		expect(upgradePath(LINE, '4', '3')).to.equal(null);
		expect(upgradePath(LINE, '0', '4')).to.deep.equal(['1', '2', '4']);
		expect(upgradePath(LINE.slice(1), '0', '4')).to.equal(null);
		expect(upgradePath(LINE, '0', '1')).to.deep.equal(['1']);
		expect(upgradePath(LINE, '1', '9')).to.deep.equal(['9']);
		expect(upgradePath([], '1', '2')).to.deep.equal(['2']);
	});

	it('takes only allowed steps, and none more than needed', () => {
		const line = fc.array(fc.array(fc.nat(7), { maxLength: 4 }), { minLength: 1, maxLength: 8 }).map((all) =>
			all.map((from, index) => ({
				version: String(index),
				from: from.filter((one) => one !== index && one < all.length).map(String)
			}))
		);
		fc.assert(
			fc.property(line, fc.nat(7), fc.nat(7), (versions, a, b) => {
				const [from, to] = [String(a % versions.length), String(b % versions.length)];
				const allowed = (one: string, other: string) => {
					const { from: direct } = versions[Number(other)]!;
					const isOnTheWay = Math.sign(Number(to) - Number(from)) === Math.sign(Number(other) - Number(one));
					return isOnTheWay && (direct.length === 0 || direct.includes(one));
				};
				// Breadth first the other way round
				const steps = new Map([[from, 0]]);
				for (const [at, count] of steps)
					for (const { version } of versions)
						if (allowed(at, version) && !steps.has(version)) steps.set(version, count + 1);
				const path = upgradePath(versions, from, to);
				expect(path?.length ?? null).to.equal(steps.get(to) ?? null);
				let at = from;
				for (const one of path ?? []) {
					expect(allowed(at, one)).to.equal(true);
					at = one;
				}
			})
		);
	});
});
