import { expect } from 'chai';
import fc from 'fast-check';
import { database, runAs } from '../../../src/lib/server/database';
import {
	createPart,
	createProfile,
	releasePart,
	retirePart,
	revisionsOfPart,
	savePart,
	saveProfile
} from '../../../src/lib/server/profile';
import { ACTOR, answerOf, newPerson, post, unwalled } from '../making';
import { fresh, must, why, EMPTY, field, releasedPart } from './profile-making';

describe('parts', () => {
	it('are saved by the one who saw them last; another’s words are shown and not overwritten', async () => {
		const { id } = must(await createPart({ name: fresh('Part'), summary: '' }, ACTOR));
		const draft = (text: string) => ({ texts: { braced: text }, fields: [] });
		expect(await savePart(id, 1, draft('first;'), { ...ACTOR, name: 'Maren' })).to.deep.equal({
			ok: true,
			done: { edit: 2 }
		});
		const late = await savePart(id, 1, draft('late;'), ACTOR);
		expect(late).to.deep.include({ ok: false });
		expect(!late.ok && late.theirs).to.deep.include({
			editedBy: 'Maren',
			texts: { braced: 'first;' },
			edit: 2
		});
		expect((await revisionsOfPart(id))[0]!.texts).to.deep.equal({ braced: 'first;' });
		// Both at once: one is told
		const both = await Promise.all([
			savePart(id, 2, draft('a;'), ACTOR),
			savePart(id, 2, draft('b;'), ACTOR)
		]);
		expect(both.filter(({ ok }) => ok)).to.have.lengthOf(1);
	});

	it('are released when their texts can be rendered and their names are declared, and never change again', async () => {
		const { id } = must(await createPart({ name: fresh('Part'), summary: '' }, ACTOR));
		expect(why(await releasePart(id, 1, 'x', ACTOR))).to.equal('There is no text yet.');
		await savePart(id, 1, { texts: { braced: 'ok;\nname {{ nobody }};' }, fields: [] }, ACTOR);
		expect(why(await releasePart(id, 2, 'x', ACTOR))).to.equal(
			'The braced text, line 2: “nobody” is declared nowhere.'
		);
		await savePart(id, 2, { texts: { braced: '{% if %}' }, fields: [] }, ACTOR);
		expect(why(await releasePart(id, 3, 'x', ACTOR))).to.match(/^The braced text, line 1/);
		await savePart(id, 3, { texts: { braced: 'name {{ nobody }};' }, fields: [field('nobody')] }, ACTOR);
		expect(why(await releasePart(id, 3, 'x', ACTOR))).to.match(/after you last saw it/);
		must(await releasePart(id, 4, 'for all', ACTOR));
		const [released] = await revisionsOfPart(id);
		expect(released).to.include({ state: 'released', note: 'for all', number: 1 });
		const change = unwalled()('part_revision').where({ id: released!.id }).update({ texts: '{}' });
		expect(await change.then(String, String)).to.match(/never changes again/);
		const entry = await unwalled()('ledger_entry').where({ subject_id: id, act: 'release part' }).first();
		expect(entry.reason).to.equal('for all');
	});

	it('stay in the library while a profile uses them', async () => {
		const part = await releasedPart('a;', []);
		const profile = must(
			await createProfile(
				{ name: fresh('Profile'), role: 'gateway', draft: { ...EMPTY, parts: [part.revisionId] } },
				ACTOR
			)
		);
		expect(why(await retirePart(part.id, ACTOR))).to.match(/is used by Profile .*Take it out there first/);
		expect((await saveProfile(profile.id, 1, EMPTY, ACTOR)).ok).to.equal(true);
		must(await retirePart(part.id, ACTOR));
		expect(why(await retirePart(part.id, ACTOR))).to.equal('There is no such part.');
	});

	it('are written by engineers alone, also past the application', async () => {
		const technician = await newPerson({ 'Southfold Physio': 'technician' });
		const made = await post('/profiles?/part', { name: fresh('Part') }, {}, technician).then(answerOf);
		expect(made.status).to.equal(409);
		const past = await runAs({ kind: 'person', personId: technician.id }, () =>
			database()('part_revision').update({ note: 'changed' })
		);
		expect(past).to.equal(0);
		const engineer = await newPerson({ 'Southfold Physio': 'engineer' });
		const name = fresh('Part');
		const begun = await post('/profiles?/part', { name }, {}, engineer).then(answerOf);
		expect(begun.type).to.equal('redirect');
		expect(
			(await post('/profiles?/part', { name: name.toUpperCase() }, {}, engineer).then(answerOf)).data!.problem
		).to.include('already');
		expect(
			(await post('/profiles?/part', { name: 'Тime' }, {}, engineer).then(answerOf)).data!.problem
		).to.include('looks like “T”');
	});

	it('take no rubbish from their page', async () => {
		const engineer = await newPerson({ 'Southfold Physio': 'engineer' });
		const { id } = must(await createPart({ name: fresh('Part'), summary: '' }, ACTOR));
		const save = (draft: string) =>
			post(`/profiles/parts/${id}?/save`, { edit: '1', draft }, {}, engineer).then(answerOf);
		const elsewhere = await save(JSON.stringify({ texts: { okapira: 'a line;' }, fields: [] }));
		expect(elsewhere.data!.problem).to.include('under the name of their dialect');
		await fc.assert(
			fc.asyncProperty(fc.oneof(fc.json(), fc.string()), async (draft) => {
				expect((await save(draft)).status).to.equal(400);
			}),
			{ numRuns: 25 }
		);
		const typed = (more: object) =>
			save(
				JSON.stringify({
					texts: { braced: 'a;' },
					fields: [{ name: 'lan', type: { kind: 'prefix' }, ...more }]
				})
			);
		expect((await typed({ formula: 'lan | nonsense' })).data!.problem).to.match(/^Field “lan”: The formula/);
		expect((await typed({})).type).to.equal('success');
	});
});
