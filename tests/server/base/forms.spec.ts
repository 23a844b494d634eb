import { expect } from 'chai';
import { v7 as uuid } from 'uuid';
import { answerOf, customerId, newPerson, post } from '../making';
import { WALK } from '../walk';

/** Every form's action, about things that are not there. */
const ACTIONS = Object.keys(WALK).flatMap((route) => {
	const path = /^POST (\/\S*\?\/\S+)$/.exec(route)?.[1];
	// A page's one form has no name of its own
	return path ? [path.replace('?/default', '').replace(/\[[^\]]+\]/g, () => uuid())] : [];
});

describe('forms', () => {
	it('that are empty or hold what nobody sent are told so in words, each time @long', async () => {
		expect(ACTIONS.length).to.be.greaterThan(40);
		const hostile = { __proto__: 'x', constructor: 'x', toString: 'x', all: 'x'.repeat(3000) };
		for (const path of ACTIONS)
			for (const fields of [{}, hostile]) {
				const response = await post(path, fields);
				expect(response.status, path).to.be.below(500);
				const { type, data } = await answerOf(response);
				if (type !== 'failure') continue;
				const said = [data!.problem, ...Object.values((data!.problems ?? {}) as object)];
				for (const words of said.filter((one) => one !== undefined)) {
					expect(words, path)
						.to.be.a('string')
						.that.matches(/^[A-Z“].*[.?]$/s);
					expect(words, path).to.not.match(/^Invalid |undefined|null|\[object/);
				}
			}
	});

	it('have no name that the framework keeps for itself', async () => {
		for (const path of ['/sites/new?/default', '/forgotten?x=1&/default='])
			expect((await post(path, {})).status, path).to.equal(404);
	});

	it('say of each field what is wrong with it, and take one value where one is wanted', async () => {
		const engineer = await newPerson({ 'Marlstone Veterinary': 'engineer' });
		const customer = await customerId();
		const make = (fields: Record<string, string>) =>
			post('/addresses?/make', fields, {}, engineer).then(answerOf);
		const wrong = await make({
			customer,
			name: '',
			field: 'no field',
			scope: 'site',
			block: '10/8',
			length: 'x'
		});
		expect(wrong.status).to.equal(400);
		expect(wrong.data!.problems).to.have.all.keys('name', 'field', 'block', 'length');
		const twice = new URLSearchParams([
			['view', uuid()],
			['view', uuid()]
		]);
		const response = await post('/sites?/dropView', twice as never, {}, engineer);
		expect((await answerOf(response)).data!.problem).to.equal('Which view?');
	});
});
