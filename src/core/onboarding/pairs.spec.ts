import { expect } from 'chai';
import fc from 'fast-check';
import { checkPhrase } from './check-phrase';
import { likeliestPairs, spokenWords, type SpokenPosition, type SpokenUnit } from './pairs';

const unit = (serial: string, more: Partial<SpokenUnit> = {}): SpokenUnit => ({
	id: serial,
	serial,
	mac: null,
	customerId: 'bakeries',
	roles: ['router'],
	...more
});
const position = (siteName: string, more: Partial<SpokenPosition> = {}): SpokenPosition => ({
	id: `${siteName} ${more.name ?? 'rt-1'}`,
	name: 'rt-1',
	siteName,
	locality: '',
	customerId: 'bakeries',
	roleId: 'router',
	appointmentAt: null,
	...more
});
const found = (text: string, units: SpokenUnit[], positions: SpokenPosition[], now = 0) =>
	likeliestPairs(text, units, positions, now).map(({ unit, position, unheard }) =>
		[unit.serial, position.siteName, ...unheard].join(' | ')
	);

describe('pairs heard on the telephone', () => {
	const units = [unit('VTB10014F2A'), unit('VTB10024F2B'), unit('VTB4F2A9000', { mac: '02:00:00:00:ab:cd' })];
	const positions = [
		position('Queen Street'),
		position('Quay Street'),
		position('Kaikōura', { locality: 'Churchill Street' })
	];

	it('are found by the end of a serial and a part of the site, in any order', () => {
		expect(found('4f2a queen', units, positions)[0]).to.equal('VTB10014F2A | Queen Street');
		expect(found('Queen the box ending 4F2A'.replace('the box ending', ''), units, positions)[0]).to.equal(
			'VTB10014F2A | Queen Street'
		);
		expect(found('abcd kaikoura', units, positions)[0]).to.equal('VTB4F2A9000 | Kaikōura');
	});

	it('hear through characters that look or sound alike', () => {
		expect(found('IOOI4FZA quay', units, positions)[0]).to.equal('VTB10014F2A | Quay Street');
	});

	it('are sure only when both were named and nothing else fits as well', () => {
		const sure = (text: string, places = positions) =>
			likeliestPairs(text, units, places, 0).map((pair) => pair.sure);
		expect(sure('4f2a queen')).to.deep.equal([true, false, false]);
		expect(sure('queen street'), 'no unit').to.not.include(true);
		expect(sure('4f2a'), 'no position').to.not.include(true);
		expect(sure('4f2a street'), 'two streets').to.not.include(true);
		expect(sure('4f2a queen zebra'), 'a word left over').to.not.include(true);
		expect(
			sure('4f2a queen', [position('Queen Street'), position('Queen Street', { name: 'rt-2' })])
		).to.not.include(true);
	});

	it('say what was heard in neither', () => {
		expect(found('4f2a queen zebra', units, positions)[0]).to.equal('VTB10014F2A | Queen Street | zebra');
		expect(found('zebra', units, positions)).to.deep.equal([]);
		expect(found(' , ', units, positions)).to.deep.equal([]);
	});

	it('put the appointment that is nearest first where the words decide nothing', () => {
		const hour = 3_600_000;
		const two = [
			position('High Street East', { appointmentAt: 50 * hour }),
			position('High Street West', { appointmentAt: 99 * hour }),
			position('High Street North')
		];
		expect(found('4f2a high', [units[0]!], two, 100 * hour)).to.deep.equal([
			'VTB10014F2A | High Street West',
			'VTB10014F2A | High Street East',
			'VTB10014F2A | High Street North'
		]);
	});

	it('are of one customer, suit each other, and do not depend on the order of the words', () => {
		const word = fc.constantFrom('4f2a', '9000', 'queen', 'street', 'rt', 'ap', 'b1', 'zz');
		const someUnits = fc.array(
			fc.record({
				customerId: fc.constantFrom('bakeries', 'clinics'),
				roles: fc.subarray(['router', 'access-point']),
				serial: fc.constantFrom('VTB10014F2A', 'VTB9000', 'XB1')
			}),
			{ maxLength: 5 }
		);
		const somePositions = fc.array(
			fc.record({
				customerId: fc.constantFrom('bakeries', 'clinics'),
				roleId: fc.constantFrom('router', 'access-point'),
				siteName: fc.constantFrom('Queen Street', 'Quay', 'Zz Street')
			}),
			{ maxLength: 5 }
		);
		fc.assert(
			fc.property(fc.array(word, { maxLength: 4 }), someUnits, somePositions, (words, us, ps) => {
				const all = us.map((one, index) => unit(one.serial, { ...one, id: `u${index}` }));
				const places = ps.map((one, index) => position(one.siteName, { ...one, id: `p${index}` }));
				const pairs = likeliestPairs(words.join(' '), all, places, 0);
				expect(pairs.length).to.be.at.most(3);
				for (const [index, pair] of pairs.entries()) {
					expect(pair.unit.customerId).to.equal(pair.position.customerId);
					expect(pair.unit.roles).to.include(pair.position.roleId);
					expect(pair.sure && index > 0).to.equal(false);
					if (index > 0) expect(pair.unheard.length).to.be.at.least(pairs[index - 1]!.unheard.length);
				}
				const ids = (some: typeof pairs) => some.map((pair) => [pair.unit.id, pair.position.id]);
				expect(ids(likeliestPairs([...words].reverse().join(' '), all, places, 0))).to.deep.equal(ids(pairs));
			})
		);
	});

	it('keep only words worth looking for', () => {
		expect(spokenWords('the box, 4F2A; at Queen’s! a')).to.deep.equal(['the', 'box', '4f2a', 'at', 'queens']);
	});
});

describe('the check phrase', () => {
	it('is two words and a number, the same for the same two', () => {
		const phrase = checkPhrase('VTB10014F2A', '01a20a61-ef7d-737e-9ed0-9920be092b44');
		expect(phrase).to.match(/^[a-z]+ [a-z]+ [1-9]\d$/);
		expect(checkPhrase('VTB10014F2A', '01a20a61-ef7d-737e-9ed0-9920be092b44')).to.equal(phrase);
	});

	it('differs when one character does, and spreads evenly over many', () => {
		const serials = Array.from({ length: 4000 }, (_, index) => `VTB${String(index).padStart(8, '0')}`);
		const phrases = serials.map((serial) => checkPhrase(serial, 'p'));
		// By chance some 22 of 4,000 meet another among 368,640 phrases
		expect(new Set(phrases).size).to.be.above(3900);
		expect(new Set(phrases.map((phrase) => phrase.split(' ')[0])).size).to.equal(64);
		expect(new Set(phrases.map((phrase) => phrase.split(' ')[1])).size).to.equal(64);
		let same = 0;
		for (const serial of serials)
			if (checkPhrase(serial, 'p') === checkPhrase(`${serial.slice(0, -1)}X`, 'p')) same++;
		expect(same).to.equal(0);
	});
});
