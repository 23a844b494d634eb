import { expect } from 'chai';
import { endsWords, shareDone } from './words';

const NOW = Date.parse('2026-03-02T02:00:00Z');
const ends = (median: number, latest: number) => ({
	soonest: NOW,
	median: NOW + median * 1000,
	latest: NOW + latest * 1000
});

describe('when something is done', () => {
	it('is told by how long it takes while that is near, else by the place’s own clock', () => {
		expect(endsWords(ends(12, 44), NOW)).to.equal('done in about 15 s, in 45 s at the latest');
		expect(endsWords(ends(70, 110), NOW)).to.equal('done within 2 min');
		expect(endsWords(ends(200, 540), NOW)).to.equal('done in about 4 min, in 9 min at the latest');
		expect(endsWords(ends(20 * 60, 50 * 60), NOW, 'Pacific/Auckland')).to.equal(
			'done about 15:20, at the latest 15:50'
		);
	});
	it('promises nothing that is over', () => {
		expect(endsWords(ends(-60, -1), NOW)).to.equal('should be done by now');
		expect(endsWords(ends(-60, 60), NOW)).to.match(/^done in about 5 s/);
	});
	it('fills up as time goes, and is never full', () => {
		const from = NOW - 60_000;
		expect(shareDone(from, ends(60, 90), NOW)).to.be.closeTo(0.5, 1e-9);
		expect(shareDone(from, ends(-30, 90), NOW)).to.equal(0.98);
		expect(shareDone(NOW, ends(60, 90), NOW)).to.equal(0);
	});
});
