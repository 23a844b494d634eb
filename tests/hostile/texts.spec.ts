import { expect } from 'chai';
import { v7 as uuid } from 'uuid';
import {
	createPart,
	createProfile,
	savePart,
	saveProfile,
	releasePart,
	EMPTY_DRAFT
} from '../../src/lib/server/profile';
import { ACTOR, get, newPerson, openPosition, post, unwalled } from '../server/making';
import { survives } from './attack';
import { TEXTS } from './traps';

describe('texts of configurations', () => {
	for (const [name, text] of Object.entries(TEXTS))
		it(`are saved, previewed and refused in words: ${name}`, () =>
			survives(async () => {
				const engineer = await newPerson('administrator');
				const part = await createPart({ name: `Hostile ${uuid()}`, summary: '' }, ACTOR);
				if (!part.ok) throw new Error(part.problem);
				await savePart(part.done.id, 1, { texts: { braced: text }, fields: [] }, ACTOR);
				const { id: revision } = await unwalled()('part_revision')
					.where({ part_id: part.done.id })
					.first('id');
				const profile = await createProfile({ name: `Hostile ${uuid()}`, role: 'gateway' }, ACTOR);
				if (!profile.ok) throw new Error(profile.problem);
				await saveProfile(profile.done.id, 1, { ...EMPTY_DRAFT, parts: [revision] }, ACTOR);
				const positionId = await openPosition('gateway');
				await unwalled()('position').where({ id: positionId }).update({ profile_id: profile.done.id });
				for (const path of [
					`/profiles/parts/${part.done.id}`,
					`/profiles/${profile.done.id}`,
					`/positions/${positionId}/preview?draft`
				])
					expect((await get(path, engineer)).status, path).to.equal(200);
				await releasePart(part.done.id, 2, 'as a test', ACTOR);
				expect((await get(`/profiles/${profile.done.id}/release`, engineer)).status).to.be.oneOf([200, 404]);
			}));

	it('hold broken patterns off', async () => {
		const engineer = await newPerson('administrator');
		const part = await createPart({ name: `Hostile ${uuid()}`, summary: '' }, ACTOR);
		if (!part.ok) throw new Error(part.problem);
		for (const pattern of ['(a|aa)+', '(?:x*)*y', 'a*a*a*a*b']) {
			const fields = [{ name: 'x', type: { kind: 'text', pattern } }];
			const answer = await post(
				`/profiles/parts/${part.done.id}?/save`,
				{ edit: '1', draft: JSON.stringify({ texts: { braced: '{{ x }}' }, fields }) },
				{},
				engineer
			);
			expect(answer.status).to.be.below(500);
			expect(await answer.text()).to.match(/failure/);
		}
	});
});
