import { expect } from 'chai';
import { shellKeys } from './keyboard';
import { isIn, ROOMS } from './rooms';

/** Keys with the times at which they are struck; `field` when the focus is in a text field. */
function typed(keys: readonly string[], apart: number, field = false): string[] {
	const done: string[] = [];
	const listener = shellKeys({
		find: () => done.push('find'),
		help: () => done.push('help'),
		go: (href) => done.push(`go ${href}`),
		scanned: (text) => done.push(`scanned ${text}`)
	});
	keys.forEach((key, index) =>
		listener({
			key,
			timeStamp: 1000 + index * apart,
			target: { closest: () => (field ? {} : null) },
			preventDefault: () => undefined
		} as unknown as KeyboardEvent)
	);
	return done;
}

describe('keys of the whole application', () => {
	it('lead to find, help and every room', () => {
		expect(typed(['/'], 0)).to.deep.equal(['find']);
		expect(typed(['?'], 0)).to.deep.equal(['help']);
		for (const { key, href } of ROOMS) expect(typed(['g', key], 200)).to.deep.equal([`go ${href}`]);
		expect(new Set(ROOMS.map(({ key }) => key)).size).to.equal(ROOMS.length);
	});

	it('lead to a room also when both keys are struck at once', async () => {
		const done = typed(['g', 's'], 8);
		expect(done).to.deep.equal([]);
		await new Promise((resolve) => setTimeout(resolve, 150));
		expect(done).to.deep.equal(['go /sites']);
		const scan = typed([...'gs/?OG2K', 'Enter'], 8);
		await new Promise((resolve) => setTimeout(resolve, 150));
		expect(scan).to.deep.equal(['scanned gs/?OG2K']);
	});

	it('leave as much time between `g` and the room as somebody needs, and take a wrong key for nothing', () => {
		expect(typed(['g', 's'], 20_000)).to.deep.equal(['go /sites']);
		expect(typed(['g', 'Shift', 's'], 200)).to.deep.equal(['go /sites']);
		expect(typed(['g', 'z', 's'], 200)).to.deep.equal([]);
		expect(typed(['g', 'Escape', 's'], 200)).to.deep.equal([]);
	});

	it('leave a person alone who writes in a field', () => {
		expect(typed(['/', '?', 'g', 's'], 200, true)).to.deep.equal([]);
	});

	it('take a burst that ends with Enter for a scanner, anywhere but in a field', () => {
		expect(typed([...'OG2K1234', 'Enter'], 8)).to.deep.equal(['scanned OG2K1234']);
		expect(typed([...'OG2K1234', 'Enter'], 8, true)).to.deep.equal([]);
		expect(typed([...'OG2K1234', 'Enter'], 90)).to.deep.equal([]);
		expect(typed([...'abc', 'Enter'], 8)).to.deep.equal([]);
		expect(typed([...'gs/?OG2K', 'Enter'], 8)).to.deep.equal(['scanned gs/?OG2K']);
		expect(typed(['Shift', ...'OG2K12', 'Enter'], 8)).to.deep.equal(['scanned OG2K12']);
	});

	it('take nothing for a scan that went on with another key: quick fingers leave a field for its list', () => {
		expect(typed([...'OG2K1234', 'ArrowDown', 'Enter'], 8)).to.deep.equal([]);
	});
});

describe('rooms', () => {
	it('are recognised by their path', () => {
		expect(isIn('/', '/')).to.equal(true);
		expect(isIn('/sites', '/')).to.equal(false);
		expect(isIn('/sites/1', '/sites')).to.equal(true);
		expect(isIn('/sitesandmore', '/sites')).to.equal(false);
	});
});
