import { expect } from 'chai';
import { v7 as uuid } from 'uuid';
import { database } from '../../src/lib/server/database';
import {
	createPart,
	createProfile,
	savePart,
	saveProfile,
	releasePart,
	EMPTY_DRAFT
} from '../../src/lib/server/profile';
import { ACTOR, get, newPerson, openPosition, post } from '../server/making';
import { survives } from './attack';

const many = (count: number, piece: (at: number) => string) =>
	Array.from({ length: count }, (_, at) => piece(at)).join('');

/** Texts that ask for much; each once held everybody up. */
const TEXTS: Record<string, string> = {
	'many tags on one line': '{% assign a = 1 %}'.repeat(13_000),
	'many tags': '{% assign a = 1 %}\n'.repeat(13_000),
	'tags in tags': '{% if a %}'.repeat(6_000) + '{% endif %}'.repeat(6_000),
	'many missing names': many(200, (at) => `{{ m${at} }}\n`) + '{% for i in (1..50000) %}{{ i }}{% endfor %}',
	'more names than a text reads': many(5_000, (at) => `{{ m${at} }}\n`),
	'a number of many digits': '{{ 1 | pad: 400000000 }}',
	'a text that doubles':
		'{% assign a = "x" %}{% for i in (1..60) %}{% assign a = a | append: a %}{% endfor %}{{ a }}',
	'loops in loops': '{% for a in (1..99999) %}{% for b in (1..99999) %}{% endfor %}{% endfor %}',
	branches: `{% if a %}${'{% elsif a %}x'.repeat(15_000)}{% endif %}`,
	'tags that do not end': '{% '.repeat(80_000),
	'a long path': `{{ a${'.b'.repeat(100_000)} }}`,
	'brackets in brackets': `{{ a${'[a'.repeat(50_000)} }}`
};

describe('texts of configurations', function () {
	this.timeout(180_000);

	for (const [name, text] of Object.entries(TEXTS))
		it(`are saved, previewed and refused in words: ${name}`, () =>
			survives(async () => {
				const engineer = await newPerson('administrator');
				const part = await createPart({ name: `Hostile ${uuid()}`, summary: '' }, ACTOR);
				if (!part.ok) throw new Error(part.problem);
				await savePart(part.done.id, 1, { texts: { braced: text }, fields: [] }, ACTOR);
				const { id: revision } = await database()('part_revision')
					.where({ part_id: part.done.id })
					.first('id');
				const profile = await createProfile({ name: `Hostile ${uuid()}`, role: 'gateway' }, ACTOR);
				if (!profile.ok) throw new Error(profile.problem);
				await saveProfile(profile.done.id, 1, { ...EMPTY_DRAFT, parts: [revision] }, ACTOR);
				const positionId = await openPosition('gateway');
				await database()('position').where({ id: positionId }).update({ profile_id: profile.done.id });
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
