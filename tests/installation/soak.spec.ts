import { expect } from 'chai';
import { soak } from '../soak';

/** The short form of `./limen soak`: one part after the other is killed, while some units fail and people work. */
describe('a soak', () => {
	it('loses, doubles and falsifies nothing while one part after the other is killed', async () => {
		const { faults } = await soak({
			...{ minutes: 3, units: 20, seed: 25, troubleEverySeconds: 12 },
			say: console.log
		});
		expect(faults, faults.join('\n')).to.be.empty;
	}).timeout(900_000);
});
