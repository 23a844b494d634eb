import { expect } from 'chai';
import { USUAL_RULES } from '../../../src/core/rollout';
import { database } from '../../../src/lib/server/database';
import { renderingSources, renderPosition } from '../../../src/lib/server/profile';
import { beginRollout, itemsOfRollout } from '../../../src/lib/server/rollout';
import {
	beginSmallChange,
	keepSmallChange,
	lookAtSmallChange,
	smallChangeById,
	type What
} from '../../../src/lib/server/small-change';
import { onChange } from '../dialling';
import { online, onlineRouter, untilLost, untilSend, type Gateway } from '../gateway';
import { ACTOR, actorOf, doneBy, newPerson, unwalled } from '../making';
import { must } from '../profile/profile-making';
import { runAs } from '../../../src/lib/server/database';

const begun = async (units: readonly Gateway[]): Promise<string> =>
	must(
		await beginSmallChange(
			units.map(({ unit }) => unit.unitId),
			ACTOR
		)
	).id;
async function looked(id: string, what: What) {
	must(await lookAtSmallChange(id, what));
	await onChange(['profiles'], async () => (await smallChangeById(id))!.state !== 'working');
	const change = (await smallChangeById(id))!;
	expect(change.state).to.equal('done');
	return { edit: change.edit, ...change.result! };
}
const rendered = async ({ unit }: Gateway): Promise<string> => {
	const result = renderPosition(
		(await renderingSources(database(), [unit.positionId])).get(unit.positionId)!
	);
	if (!result.ok) throw new Error(result.problems[0]!.message);
	return result.text;
};
/** As whoever does all this: what somebody looks at is theirs alone. */
const asActor = <Result>(work: () => Promise<Result>) =>
	runAs({ kind: 'person', personId: ACTOR.personId! }, work);

describe('a small change for many', () => {
	it('is looked at unit by unit, becomes part of the plan, and goes out as a rollout @long', () =>
		asActor(async () => {
			const [one, two, other] = [await online(), await online(), await onlineRouter()];
			const id = await begun([one, two, other]);
			const value = await looked(id, { kind: 'value', field: 'time_server', value: 'clock.example' });
			expect(value.changed).to.have.length(3);
			expect(value.left).to.deep.equal([]);
			const wrong = await looked(id, { kind: 'value', field: 'time_server', value: 'no server!' });
			expect(wrong.changed).to.deep.equal([]);
			expect(wrong.left.map(({ count }) => count)).to.deep.equal([3]);
			const unknown = await looked(id, { kind: 'value', field: 'no_such_field', value: '1' });
			expect(unknown.left).to.deep.equal([{ words: 'Its profile has no field “no_such_field”.', count: 3 }]);
			const secret = await looked(id, { kind: 'value', field: 'session_secret', value: 'not-so-secret' });
			expect(secret.changed).to.deep.equal([]);
			const text = await looked(id, { kind: 'text', comes: 'journal { server spare.example; }', goes: '' });
			expect(text.changed).to.have.length(2);
			const groups = text.groups.map(({ change, positions }) => [change.kind, positions.length]);
			expect(groups, 'a router does not know these words').to.deep.equal([
				['broken', 1],
				['changed', 2]
			]);
			expect(await keepSmallChange(id, text.edit - 1, ACTOR)).to.have.property('ok', false);
			const { rolloutId } = must(await keepSmallChange(id, text.edit, ACTOR));
			expect(await keepSmallChange(id, text.edit, ACTOR)).to.have.property('ok', false);
			expect(await lookAtSmallChange(id, { kind: 'value', field: 'hostname', value: 'x' })).to.have.property(
				'ok',
				false
			);
			for (const unit of [one, two]) expect(await rendered(unit)).to.contain('spare.example');
			expect(await rendered(other)).to.not.contain('spare.example');
			expect(await itemsOfRollout(rolloutId)).to.have.length(2);
			must(
				await beginRollout(
					rolloutId,
					{ title: 'Spare', rules: USUAL_RULES, units: 2, asked: false },
					{ ...ACTOR, reason: 'for a test' }
				)
			);
			for (const unit of [one, two]) {
				await untilLost(unit.unit.unitId);
				await unit.dial();
				await untilSend(unit.unit.unitId, 'confirmed');
				expect(unit.runs).to.contain('spare.example');
			}
			await Promise.all([one, two, other].map(({ call }) => call!.end()));
		}));

	it('takes what goes out of its block, and has nothing to do a second time', () =>
		asActor(async () => {
			const unit = await online();
			const before = await rendered(unit);
			const line = /\n\tpermit established;/.exec(before);
			expect(line, before).to.not.equal(null);
			const id = await begun([unit]);
			const change = {
				kind: 'text',
				comes: 'rules from-uplink { permit ping; }',
				goes: 'rules from-uplink { permit established; }'
			} as const;
			const first = await looked(id, change);
			expect(first.changed).to.have.length(1);
			must(await keepSmallChange(id, first.edit, ACTOR));
			const after = await rendered(unit);
			expect(after).to.contain('permit ping').and.not.contain('permit established');
			const again = await looked(await begun([unit]), change);
			expect(again.left).to.deep.equal([{ words: 'It is so already.', count: 1 }]);
			await unit.call!.end();
		}));

	it('does not cut a unit off', () =>
		asActor(async () => {
			const unit = await online();
			const looks = await looked(await begun([unit]), { kind: 'text', comes: '', goes: 'beacon { }' });
			expect(looks.changed).to.deep.equal([]);
			expect(looks.stranded).to.have.length(1);
			await unit.call!.end();
		}));

	it('is begun by who may change the plan and send, and is theirs alone', async () => {
		const unit = await online();
		const units = [unit.unit.unitId];
		for (const duty of ['technician', 'auditor', 'reader'] as const) {
			const person = await newPerson({ 'Marlstone Veterinary': duty });
			await doneBy(person, async (actor) => {
				expect(await beginSmallChange(units, actor)).to.have.property('ok', false);
			});
		}
		const stranger = await newPerson({ 'Pippin & Loaf': 'engineer' });
		expect(await doneBy(stranger, (actor) => beginSmallChange(units, actor))).to.have.property(
			'problem',
			'None of these units is online.'
		);
		const id = await asActor(() => begun([unit]));
		const colleague = await newPerson({ 'Marlstone Veterinary': 'engineer' });
		expect(await doneBy(colleague, () => smallChangeById(id))).to.equal(undefined);
		expect(await doneBy(colleague, (actor) => keepSmallChange(id, 0, actor))).to.have.property('ok', false);
		expect((await actorOf(colleague)).may('send', await customerOf(unit))).to.equal(true);
		await unit.call!.end();
	});
});

const customerOf = async ({ unit }: Gateway): Promise<string> =>
	(await unwalled()('position').where({ id: unit.positionId }).first('customer_id')).customer_id;
