import { readFileSync } from 'node:fs';
import { expect } from 'chai';
import * as v from 'valibot';
import { claimBatch } from '../../../src/lib/server/intake';
import { bindUnit } from '../../../src/lib/server/binding';
import { decodeConveyed, INPUT, ONBOARDING } from '../../../src/core/bootstrap';
import { rehearsalSchema } from '../../../src/lib/server/api';
import { database, runAs, SETUP } from '../../../src/lib/server/database';
import { importPlan, planSchema, type Plan } from '../../../src/lib/server/plan';
import { seal } from '../../../src/lib/server/keys';
import { revisionsById, saveProfile } from '../../../src/lib/server/profile';
import { rehearseDraft, rehearseMany, rehearseSites, rehearseStamping } from '../../../src/lib/server/watch';
import { newModelLabel } from '../../model-label';
import { onChange } from '../dialling';
import { fresh, newPattern, sitesOf } from '../plan/pattern-making';
import { tokenFor } from '../things';
import {
	ACTOR,
	actorOf,
	address,
	customerId,
	doneBy,
	get,
	invoke,
	newPerson,
	openPosition,
	unwalled
} from '../making';

const CUSTOMER = 'Marlstone Veterinary';
const PROFILES = new URL('../../../demo/profiles.json', import.meta.url);
const siteOf = async (positionId: string): Promise<string> =>
	(await unwalled()('position').where({ id: positionId }).first('site_id')).site_id;

/** A gateway that a delivery note says comes with some firmware, bound and not heard yet. */
async function delivered(version: string, positionId?: string) {
	const position = positionId ?? (await openPosition('gateway', CUSTOMER));
	const label = newModelLabel('OG-2');
	const note = `serial number;mac;claim code;Firmware version\n${label.serial};${label.mac};${label.claimCode};${version}`;
	const claimed = await claimBatch(await customerId(CUSTOMER), note, ACTOR);
	if (!claimed.ok) throw new Error(claimed.problem);
	const unitId = claimed.done.rows[0]!.unitId!;
	const bound = await bindUnit(position, unitId, ACTOR);
	if (!bound.ok) throw new Error(bound.problem);
	return { ...label, unitId, positionId: position, siteId: await siteOf(position), runId: bound.done.runId };
}
const asks = (unit: Parameters<typeof invoke>[1], version: string) =>
	invoke('get-bootstrapping-data', unit, { [INPUT]: { 'os-version': version } });
const one = async (siteId: string) => (await rehearseSites([siteId]))[0]!;
const firmwareOf = async (siteId: string) =>
	(await one(siteId)).units[0]!.steps.find(({ step }) => step === 'firmware')?.words;

/** Once long work is over. */
const ended = (id: string) =>
	onChange(['work'], async () => (await unwalled()('long_work').where({ id }).first()).state === 'done');

describe('a site’s rehearsal', () => {
	it('begins with the firmware of the delivery note, until the unit itself has said what it runs', async () => {
		const unit = await delivered('6.5.0');
		expect(await firmwareOf(unit.siteId)).to.equal('6.5.0 → 6.8.2 → 7.0.3');
		await asks(unit, '6.8.2');
		expect(await firmwareOf(unit.siteId)).to.equal('6.8.2 → 7.0.3');
		const none = await delivered('n/a');
		const rehearsal = await one(none.siteId);
		expect(rehearsal.assumed).to.deep.equal([
			'gw-1: nobody said which firmware it comes with; taken to be 7.0.3.'
		]);
		expect(rehearsal.problems).to.deep.equal([]);
	});

	it('is what the unit is then given: the next image on its way, and not the last', async () => {
		const unit = await delivered('6.5.0');
		const image = async (version: string) => {
			const answer = await (await asks(unit, version)).json();
			const read = decodeConveyed(answer['ietf-sztp-bootstrap-server:output']['conveyed-information']);
			if (!read.ok || !(ONBOARDING in read.information)) throw new Error('not readable');
			return read.information[ONBOARDING]['boot-image']!['os-version'];
		};
		expect(await image('6.5.0')).to.equal('6.8.2');
		expect(await image('6.8.2')).to.equal('7.0.3');
		expect(await image('7.0.3')).to.equal('7.0.3');
	});

	it('says what it saw, and whom it may tell', async () => {
		const { siteId } = await delivered('7.0.3');
		const { saw } = await one(siteId);
		expect(saw.revisions).to.deep.equal([{ profile: 'Clinic gateway', number: 1, isDraft: false }]);
		const stranger = await newPerson({ 'Pippin & Loaf': 'engineer' });
		expect(await doneBy(stranger, () => rehearseSites([siteId]))).to.deep.equal([]);
		expect((await get(`/sites/${siteId}/rehearsal`, stranger)).status).to.equal(404);
		const technician = await newPerson({ [CUSTOMER]: 'reader' });
		expect((await get(`/sites/${siteId}/rehearsal`, technician)).status).to.equal(403);
		const page = await (await get(`/sites/${siteId}/rehearsal`)).text();
		expect(page).to.include('would come online').and.include('Clinic gateway 1');
	});

	it('shows no secret, whatever it quotes', async () => {
		const position = await openPosition('access-point', CUSTOMER);
		await unwalled()('position')
			.where({ id: position })
			.update({ values: unwalled().raw('values || ?::jsonb', [
					JSON.stringify({ staff_secret: seal('not-long-hidden-8841'), hostname: 'not-long-hidden-8841!' })
				])
			}); // prettier-ignore
		const { problems } = await one(await siteOf(position));
		expect(problems.length).to.be.greaterThan(0);
		expect(JSON.stringify(problems)).to.not.include('not-long-hidden-8841');
	});

	it('is had by programs, as the schema says', async () => {
		const { siteId } = await delivered('6.8.2');
		const token = await tokenFor(CUSTOMER);
		const as = { headers: { authorization: `Bearer ${token}` } };
		const answer = await fetch(address(`/api/v1/sites/${siteId}/rehearsal`), as);
		expect(answer.status).to.equal(200);
		const body = v.parse(rehearsalSchema, await answer.json());
		expect(body).to.include({ siteId, wouldComeOnline: true });
		expect(body.seconds!.median).to.be.greaterThan(0);
		expect((await fetch(address(`/api/v1/sites/${crypto.randomUUID()}/rehearsal`), as)).status).to.equal(404);
	});

	it('of many is long work, those that would not come online first', async () => {
		const well = await delivered('7.0.3');
		const ill = await delivered('7.0.3');
		await unwalled()('position').where({ id: ill.positionId }).update({ values: '{}' });
		const begun = await rehearseMany([well.siteId, ill.siteId], ACTOR);
		if (!begun.ok) throw new Error(begun.problem);
		expect(begun.done.count).to.equal(2);
		await ended(begun.done.id);
		const items: { state: string; words: string; about: { site: string } }[] = await unwalled()(
			'long_work_item'
		)
			.where({ work_id: begun.done.id })
			.select('state', 'words', 'about');
		const of = ({ siteId }: { siteId: string }) => items.find(({ about }) => about.site === siteId)!;
		expect(of(well)).to.include({ state: 'done' });
		expect(of(well).words).to.match(/^Would come online/);
		expect(of(ill)).to.include({ state: 'failed' });
		expect(of(ill).words).to.match(/^gw-1 would stop at its first call: .*hostname/);
		const stranger = await actorOf(await newPerson({ 'Pippin & Loaf': 'engineer' }));
		expect(await rehearseMany([well.siteId], stranger)).to.include({ ok: false });
	});

	it('of a pattern is of each site as it would be stamped, and keeps nothing', async () => {
		const pattern = await newPattern();
		const [well, ill] = [fresh('well'), fresh('ill')];
		const cells = [
			['site', 'networks', 'rt-1 hostname', 'ap-shop hostname'],
			[well, '10.77.0.0/22', 'rehearsed-rt', 'rehearsed-ap'],
			[ill, '10.77.4.0/22', '', 'rehearsed-ap-2']
		];
		const tried = await rehearseStamping({ patternId: pattern.id, cells, also: false, allot: false }, ACTOR);
		if (!tried.ok) throw new Error(tried.problem);
		expect(tried.done.rehearsals[well]!.words).to.match(/^Would come online/);
		expect(tried.done.rehearsals[ill]!.words).to.match(/^rt-1 would stop at its first call: .*hostname/);
		expect(await sitesOf(pattern.id)).to.deep.equal([]);
		const stranger = await actorOf(await newPerson({ [CUSTOMER]: 'engineer' }));
		const refused = await rehearseStamping(
			{ patternId: pattern.id, cells, also: false, allot: false },
			stranger
		);
		expect(refused.ok).to.equal(false);
	});

	it('of a draft is with the draft, and leaves what is released alone', async () => {
		const { siteId, positionId } = await delivered('7.0.3');
		const name = `Gateway of rehearsals ${Date.now()}`;
		const like = (JSON.parse(readFileSync(PROFILES, 'utf8')) as Plan['profiles']).find(
			(profile) => profile.name === 'Clinic gateway'
		)!;
		const plan = { parts: [], profiles: [{ ...like, name }], customers: [], sites: [], positions: [] };
		await runAs(SETUP, () => importPlan(v.parse(planSchema, plan), ACTOR));
		const profile = await unwalled()('profile')
			.where({ name })
			.first('id', 'released_revision_id as released');
		await unwalled()('position').where({ id: positionId }).update({ profile_id: profile.id });
		const released = (await revisionsById(database(), [profile.released])).get(profile.released)!;
		const draft = {
			...released,
			parts: released.parts.map(({ revisionId }) => revisionId),
			texts: { braced: 'nonsense here;\n' },
			files: []
		};
		const saved = await saveProfile(profile.id, 0, draft as never, ACTOR);
		if (!saved.ok) throw new Error(saved.problem);
		const begun = await rehearseDraft(profile.id, ACTOR);
		if (!begun.ok) throw new Error(begun.problem);
		await ended(begun.done.id);
		const item = await unwalled()('long_work_item')
			.where({ work_id: begun.done.id })
			.whereRaw(`about ->> 'site' = ?`, [siteId])
			.first('state', 'words');
		expect(item.state).to.equal('failed');
		expect(item.words).to.match(/nonsense/);
		expect((await one(siteId)).problems).to.deep.equal([]);
		const coordinator = await actorOf(await newPerson({ [CUSTOMER]: 'coordinator' }));
		expect(await rehearseDraft(profile.id, coordinator)).to.include({ ok: false });
	});
});
