import { expect } from 'chai';
import { soak } from '../soak';

/** The short form of `./limen soak`, which goes on for half an hour. */
describe('Limen at work while one part after the other is killed', () => {
	it('loses, doubles and invents nothing', async function () {
		// Two minutes of trouble, and up to five until all is at rest
		this.timeout(15 * 60_000);
		const said: string[] = [];
		const { faults } = await soak({
			...{ minutes: 2, units: 16, seed: Date.now() % 1_000_000, troubleEverySeconds: 18 },
			say: (words) => said.push(words)
		});
		expect(faults, said.join('\n')).to.deep.equal([]);
	});
});
