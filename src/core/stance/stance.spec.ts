import { expect } from 'chai';
import { mayBePutBack, NEW_FOR_MS, stanceOf } from '.';
import { TOUCHES } from '../drift';

describe('stance', () => {
	const long = { since: 0 };
	const now = NEW_FOR_MS + 1;
	it('is the innermost that is stated, and watch where none is', () => {
		expect(stanceOf({ own: null, site: null, customer: null, ...long }, now)).to.deep.equal({
			stance: 'watch',
			from: 'usual'
		});
		expect(stanceOf({ own: null, site: null, customer: 'hold', ...long }, now)).to.deep.equal({
			stance: 'hold',
			from: 'customer'
		});
		expect(stanceOf({ own: null, site: 'watch', customer: 'hold', ...long }, now)).to.deep.equal({
			stance: 'watch',
			from: 'site'
		});
		expect(stanceOf({ own: 'hold', site: 'watch', customer: 'watch', ...long }, now)).to.deep.equal({
			stance: 'hold',
			from: 'unit'
		});
	});
	it('is watch for a unit that is new, unless the unit itself is held', () => {
		const fresh = { since: now - 1000 };
		expect(stanceOf({ own: null, site: 'hold', customer: 'hold', ...fresh }, now)).to.deep.equal({
			stance: 'watch',
			from: 'new'
		});
		expect(stanceOf({ own: null, site: 'hold common', customer: null, ...fresh }, now).from).to.equal('new');
		expect(stanceOf({ own: 'hold', site: null, customer: null, ...fresh }, now).stance).to.equal('hold');
		expect(
			stanceOf({ own: null, site: 'hold', customer: null, since: now - NEW_FOR_MS }, now).stance
		).to.equal('hold');
	});
	it('puts nothing back by itself that could cost the way to the unit', () => {
		expect(TOUCHES.filter(mayBePutBack)).to.deep.equal(['security', 'nothing of these']);
	});
});
