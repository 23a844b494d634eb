import { expect } from 'chai';
import { post, unwalled, type TestPerson } from '../making';
import { fresh, releasedPart as makePart, releasedProfile as makeProfile } from '../profile/profile-making';
import type { Ask } from '../walk';

/** Where a form leads; its last part is the id of what was made. */
export async function made(answered: Response): Promise<string> {
	const told = await answered.text();
	const { location } = JSON.parse(told) as { location?: string };
	expect(location, told).to.be.a('string');
	return location!.split('?')[0]!.split('/').at(-1)!;
}

const DRAFT = JSON.stringify({ texts: { braced: 'tweak-note "of a program";' }, fields: [] });
async function writtenPart(as: TestPerson): Promise<string> {
	const part = await made(await post('/profiles?/part', { name: fresh('Part of a program') }, {}, as));
	const saved = await post(`/profiles/parts/${part}?/save`, { edit: '1', draft: DRAFT }, {}, as);
	expect(saved.status, await saved.clone().text()).to.equal(200);
	return part;
}
const atPart =
	(act: string, fields: Record<string, string>): Ask =>
	async (_ids, as) =>
		post(`/profiles/parts/${await writtenPart(as)}?/${act}`, fields, {}, as);
async function releasedPart(as: TestPerson): Promise<string> {
	const part = await writtenPart(as);
	const answered = await post(`/profiles/parts/${part}?/release`, { edit: '2', why: 'it is right' }, {}, as);
	expect(answered.status, await answered.clone().text()).to.equal(200);
	return part;
}

const LIMITS = { loss: '20', milliseconds: '', speed: '', least: '', seconds: '' };
/** A profile that has a revision and no draft. */
async function releasedOnce(): Promise<string> {
	const part = await makePart(`tweak-note "of a program";\n`, []);
	return (await makeProfile([part.revisionId], [{}])).id;
}

/** Parts and profiles, from the first word to their end. */
export const WRITING: Readonly<Record<string, Ask>> = {
	'POST /profiles/parts/[id=uuid]?/save': async (_ids, as) => {
		const part = await made(await post('/profiles?/part', { name: fresh('Part of a program') }, {}, as));
		return post(`/profiles/parts/${part}?/save`, { edit: '1', draft: DRAFT }, {}, as);
	},
	'POST /profiles/parts/[id=uuid]?/release': atPart('release', { edit: '2', why: 'it is right' }),
	'POST /profiles/parts/[id=uuid]?/drop': atPart('drop', { edit: '2' }),
	'POST /profiles/parts/[id=uuid]?/retire': async (_ids, as) =>
		post(`/profiles/parts/${await releasedPart(as)}?/retire`, {}, {}, as),
	'POST /profiles/parts/from-text?/default': (_ids, as) =>
		post(
			'/profiles/parts/from-text?/default',
			{
				name: fresh('Part of a text'),
				dialect: 'braced',
				draft: JSON.stringify({ text: 'tweak-note "of a program";', fields: [] })
			},
			{},
			as
		),
	'POST /profiles/begin?/default': (_ids, as) =>
		post('/profiles/begin?/default', { name: fresh('Guided'), role: 'gateway' }, {}, as),
	'POST /profiles/[id=uuid]?/again': async (_ids, as) =>
		post(`/profiles/${await releasedOnce()}?/again`, { number: '1' }, {}, as),
	'POST /profiles/[id=uuid]?/rehearse': async (_ids, as) => {
		const profile = await releasedOnce();
		await post(`/profiles/${profile}?/again`, { number: '1' }, {}, as);
		return post(`/profiles/${profile}?/rehearse`, {}, {}, as);
	},
	'POST /profiles/[id=uuid]/proof?/save': async (_ids, as) =>
		post(`/profiles/${await releasedOnce()}/proof?/save`, LIMITS, {}, as),
	'POST /profiles/[id=uuid]?/drop': async (_ids, as) => {
		const profile = await releasedOnce();
		await post(`/profiles/${profile}?/again`, { number: '1' }, {}, as);
		const { edit } = await unwalled()('profile_revision')
			.where({ profile_id: profile, state: 'draft' })
			.first();
		return post(`/profiles/${profile}?/drop`, { edit: String(edit) }, {}, as);
	}
};
