import { expect } from 'chai';
import { v7 as uuid } from 'uuid';
import { Readable } from 'node:stream';
import { runAs } from '../../src/lib/server/database';
import { uploadImage } from '../../src/lib/server/firmware';
import {
	createPart,
	createProfile,
	draftFrom,
	dropProfileDraft,
	EMPTY_DRAFT,
	releasePart,
	releaseProfile,
	savePart,
	saveProfile
} from '../../src/lib/server/profile';
import { currentSettings } from '../../src/lib/server/settings';
import { ACTOR, actorOf, doneBy, newPerson, openPosition, unwalled } from '../server/making';

const OURS = 'Marlstone Veterinary';
const THEIRS = 'Pippin & Loaf';

describe('what customers share', () => {
	it('is changed only by who has the right at everyone whose network follows it', async () => {
		const must = <Done>(act: { ok: true; done: Done } | { ok: false; problem: string }): Done => {
			if (!act.ok) throw new Error(act.problem);
			return act.done;
		};
		const part = must(await createPart({ name: `Shared ${uuid()}`, summary: '' }, ACTOR)).id;
		await savePart(part, 1, { texts: { braced: 'a;\n' }, fields: [] }, ACTOR);
		must(await releasePart(part, 2, 'x', ACTOR));
		const { id: revision } = await unwalled()('part_revision').where({ part_id: part }).first('id');
		const profile = must(await createProfile({ name: `Shared ${uuid()}`, role: 'gateway' }, ACTOR)).id;
		const draft = { ...EMPTY_DRAFT, parts: [revision], targets: { 'okapira-og': '99.1' } };
		must(await saveProfile(profile, 1, draft, ACTOR));
		must(await releaseProfile(profile, 2, 'first', true, ACTOR));
		must(await saveProfile(profile, 0, { ...draft, values: { note: 'x' } }, ACTOR));
		await unwalled()('position')
			.where({ id: await openPosition('gateway', THEIRS) })
			.update({ profile_id: profile });
		// An engineer of ours who only works on site for them
		const person = await newPerson({ [OURS]: 'engineer', [THEIRS]: 'technician' });
		const actor = await actorOf(person);
		const image = {
			firmwareLine: 'okapira-og',
			version: '99.1',
			fileName: 'x',
			content: Readable.from([Buffer.from('x')])
		};
		const tried = await runAs({ kind: 'person', personId: person.id }, async () => [
			await saveProfile(profile, 1, draft, actor),
			await draftFrom(profile, 1, actor),
			await dropProfileDraft(profile, 1, actor),
			await releaseProfile(profile, 1, 'mine', true, actor),
			await savePart(part, 0, { texts: { braced: 'b;\n' }, fields: [] }, actor),
			await releasePart(part, 0, 'mine', actor),
			await uploadImage(image, actor)
		]);
		for (const [index, act] of tried.entries())
			expect(act, String(index)).to.satisfy(
				(one: { ok: boolean; problem?: string }) =>
					!one.ok && /a customer that you are not an engineer for/.test(one.problem!)
			);
		expect(
			(await unwalled()('profile_revision').where({ profile_id: profile, state: 'draft' }).first()).edit
		).to.equal(1);
		// What nobody follows yet is anybody's who writes profiles
		const own = await runAs({ kind: 'person', personId: person.id }, () =>
			createProfile({ name: `Own ${uuid()}`, role: 'gateway' }, actor)
		);
		expect(own.ok).to.equal(true);
		// And an engineer of both may
		const both = await newPerson({ [OURS]: 'engineer', [THEIRS]: 'engineer' });
		const theirs = await actorOf(both);
		expect(
			(await runAs({ kind: 'person', personId: both.id }, () => saveProfile(profile, 1, draft, theirs))).ok
		).to.equal(true);
	});

	it('is released by a second person where the firm chooses so', async () => {
		const writer = await newPerson({ [OURS]: 'engineer' });
		const reader = await newPerson({ [OURS]: 'engineer' });
		const settings = currentSettings() as { LIMEN_RELEASE_BY_TWO: boolean };
		const id = await doneBy(writer, async (actor) => {
			const part = await createPart({ name: `Two ${uuid()}`, summary: '' }, actor);
			if (!part.ok) throw new Error(part.problem);
			await savePart(part.done.id, 1, { texts: { braced: 'a;\n' }, fields: [] }, actor);
			return part.done.id;
		});
		settings.LIMEN_RELEASE_BY_TWO = true;
		try {
			expect(await doneBy(writer, (actor) => releasePart(id, 2, 'mine', actor))).to.deep.include({
				ok: false,
				problem:
					'You wrote this draft; here somebody else has to release it. Ask another engineer to read it.'
			});
			expect(await doneBy(reader, (actor) => releasePart(id, 2, 'read', actor))).to.include({ ok: true });
		} finally {
			settings.LIMEN_RELEASE_BY_TWO = false;
		}
	});
});
