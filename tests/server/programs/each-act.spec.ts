import { expect } from 'chai';
import { BY_PROGRAMS, describedActs, operationOf } from '../../programs';
import { address, anAdministrator, customerLike, newPerson, type TestPerson } from '../making';
import { SCENES } from '../scenes';
import { thingsOf, tokenFor } from '../things';
import { WALK } from '../walk';

/**
 * Each act with what it needs, as far as that can be made without units that are online: what is left is done over the API by
 * the tests of its own room. `./limen test programs` says in the end which acts nobody did.
 */
(BY_PROGRAMS ? describe : describe.skip)('each act that the API describes', () => {
	it('is done, or refused in words that say why, by a program that knows its description', async () => {
		const described = await describedActs(new URL(address('/')).origin);
		let done = 0;
		for (const [route, walked] of Object.entries(WALK)) {
			const operation = operationOf(route);
			if (!described.includes(operation)) continue;
			const name = await customerLike('Southfold Physio');
			const token = await tokenFor(name);
			const { ids } = await thingsOf(name, await newPerson({ [name]: 'engineer' }));
			const administrator: TestPerson = { ...(await anAdministrator()), byProgram: true };
			const answered = await (SCENES[route] ?? walked)(ids, administrator, token);
			const { detail, status } = (await answered.json()) as { detail?: string; status?: number };
			if (answered.ok) done++;
			else {
				expect(detail, operation).to.match(/[.?!]$/);
				expect(status, operation).to.be.within(400, 499);
			}
		}
		expect(done).to.be.greaterThan(205);
	}).timeout(900_000);
});
