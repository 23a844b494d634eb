import { expect } from 'chai';
import { decodeConveyed, fromBase64, ONBOARDING } from '../../../src/core/bootstrap';
import { database } from '../../../src/lib/server/database';
import { seal } from '../../../src/lib/server/keys';
import { bindUnit } from '../../../src/lib/server/binding';
import { saveValues } from '../../../src/lib/server/plan';
import {
	createPart,
	createProfile,
	draftFrom,
	dropPartDraft,
	previewOf,
	releasePart,
	releaseProfile,
	renderingSources,
	revisionsById,
	revisionsOf,
	revisionsOfPart,
	savePart,
	saveProfile,
	fileUrl,
	storedFile
} from '../../../src/lib/server/profile';
import {
	ACTOR,
	address,
	answerOf,
	asOwner,
	doneBy,
	get,
	invoke,
	newPerson,
	newUnit,
	post,
	report,
	runOf,
	unwalled
} from '../making';
import {
	fresh,
	must,
	why,
	EMPTY,
	REACH,
	field,
	releasedPart,
	releasedProfile,
	impactFor
} from './profile-making';

describe('profiles', () => {
	it('are released only of released parts, and a draft that was dropped is gone', async () => {
		const { id: partId } = must(
			await createPart({ name: fresh('Part'), summary: '', texts: { braced: 'a;' } }, ACTOR)
		);
		const draft = (await revisionsOfPart(partId))[0]!;
		const profile = must(
			await createProfile(
				{ name: fresh('Profile'), role: 'gateway', draft: { ...EMPTY, parts: [draft.id] } },
				ACTOR
			)
		);
		expect(why(await releaseProfile(profile.id, 1, 'x', false, ACTOR))).to.match(/is a draft itself/);
		expect(why(await dropPartDraft(partId, 1, ACTOR))).to.match(/A profile’s draft uses this draft/);
		must(await releasePart(partId, 1, 'x', ACTOR));
		expect(must(await releaseProfile(profile.id, 1, 'x', false, ACTOR)).number).to.equal(1);
		// Past the service: the database holds it too
		const touched = unwalled()('profile_part').whereIn('part_revision_id', [draft.id]).delete();
		expect(await touched.then(String, String)).to.match(/never change/);
	});

	it('go back by a new revision, and keep secrets that come back masked', async () => {
		const part = await releasedPart('a {{ key | quoted }};', [
			field('key', { type: { kind: 'secret' }, scope: 'profile' })
		]);
		const profile = must(
			await createProfile(
				{
					name: fresh('Profile'),
					role: 'gateway',
					draft: { ...EMPTY, parts: [part.revisionId], values: { key: 'hush-hush-1' } }
				},
				ACTOR
			)
		);
		must(await releaseProfile(profile.id, 1, 'one', false, ACTOR));
		const kept = await saveProfile(
			profile.id,
			0,
			{ ...EMPTY, parts: [part.revisionId], values: { key: '••••••' } },
			ACTOR
		);
		expect(kept.ok).to.equal(true);
		const [second, first] = await revisionsOf(profile.id);
		const all = await revisionsById(database(), [first!.id, second!.id]);
		expect(all.get(first!.id)!.values.key).to.match(/^sealed:/);
		expect(all.get(second!.id)!.values).to.deep.equal(all.get(first!.id)!.values);
		must(await releaseProfile(profile.id, 1, 'two', false, ACTOR));
		must(await draftFrom(profile.id, 1, ACTOR));
		expect(why(await draftFrom(profile.id, 1, ACTOR))).to.match(/draft already/);
		const back = (await revisionsOf(profile.id))[0]!;
		expect(back).to.include({ number: 3, state: 'draft' });
	});

	it('say before a release what changes where, grouped by what it is', async () => {
		const person = await newPerson('administrator');
		const part = await releasedPart(`${REACH}{% if extra %}way default through {{ extra }};\n{% endif %}`, [
			field('hostname'),
			field('extra', { type: { kind: 'address' }, need: 'optional' })
		]);
		const profile = await releasedProfile(
			[part.revisionId],
			Array.from({ length: 8 }, (_, index) => ({
				hostname: `h${index}`,
				...(index === 5 && { extra: '192.0.2.9' })
			}))
		);
		await savePart(
			part.id,
			0,
			{
				texts: {
					braced: REACH.replace('time.example', 'clock.example').concat(
						'{% if extra %}way default through {{ extra | offset: 1 }};\n{% endif %}'
					)
				},
				fields: [field('hostname'), field('extra', { type: { kind: 'address' }, need: 'optional' })]
			},
			ACTOR
		);
		must(await releasePart(part.id, 1, 'x', ACTOR));
		await saveProfile(profile.id, 0, { ...EMPTY, parts: [(await revisionsOfPart(part.id))[0]!.id] }, ACTOR);
		const impact = await impactFor(profile.id, person);
		expect(impact).to.include({ state: 'done', done: 8, total: 8 });
		expect(
			impact.result!.groups.map(({ change, positions }) => [change.kind, positions.length])
		).to.deep.equal([
			['changed', 7],
			['changed', 1]
		]);
		const [many, one] = impact.result!.groups;
		expect(many!.change).to.deep.include({
			lines: 1,
			hunks: [
				{ at: 2, removed: ['clock { server time.example; }'], added: ['clock { server clock.example; }'] }
			]
		});
		expect(one!.change).to.include({ lines: 2 });
		expect(impact.result!.stranded).to.deep.equal([]);
		// Saved again, it is another draft, and computed anew
		await saveProfile(profile.id, 1, { ...EMPTY, parts: [part.revisionId] }, ACTOR);
		expect(
			(await impactFor(profile.id, person)).result!.groups.map(({ change }) =>
				change.kind === 'broken' ? change.message : change.kind
			)
		).to.deep.equal(['same']);
	});

	it('that would strand units are released and bound only with an engineer’s reason', async () => {
		const administrator = await newPerson('administrator');
		const good = await releasedPart(REACH, [field('hostname')]);
		const cut = await releasedPart(REACH.replace(/^beacon.*\n/m, ''), [field('hostname')]);
		const profile = await releasedProfile(
			[good.revisionId],
			[{ hostname: 'h1' }, { hostname: 'h2' }],
			'Marlstone Veterinary'
		);
		await saveProfile(profile.id, 0, { ...EMPTY, parts: [cut.revisionId] }, ACTOR);
		const impact = await impactFor(profile.id, administrator);
		expect(impact.result!.stranded.map(({ words, positions }) => [words, positions.length])).to.deep.equal([
			['The unit would be without the address to call home.', 2]
		]);
		const release = (more: Record<string, string>) =>
			post(
				`/profiles/${profile.id}/release`,
				{ edit: '1', why: 'it is being replaced', ...more },
				{},
				administrator
			).then(answerOf);
		expect((await release({})).data!.problem).to.match(/would strand units at 2 positions/);
		expect((await release({ strand: 'on' })).type).to.equal('redirect');
		const entry = await unwalled()('ledger_entry')
			.where({ subject_id: profile.id, act: 'release profile' })
			.orderBy('id', 'desc')
			.first();
		expect(entry).to.include({ reason: 'it is being replaced' });
		// Released all the same, it may be bound; by itself it may not
		const source = (await renderingSources(database(), [profile.positions[0]!])).get(profile.positions[0]!)!;
		expect(source.overrideReason).to.equal('it is being replaced');
		expect((await previewOf(source)).stranding).to.have.lengthOf(1);
		const unit = await newUnit('gateway');
		const coordinator = await newPerson({ 'Marlstone Veterinary': 'coordinator' });
		const tried = await doneBy(coordinator, (actor) =>
			bindUnit(profile.positions[0]!, unit.unitId, { ...actor, reason: 'please' })
		);
		expect(why(tried)).to.match(/strands the unit/);
		expect(why(await bindUnit(profile.positions[0]!, unit.unitId, ACTOR))).to.match(/Say why/);
		const bind = (fields: Record<string, string>) =>
			post(`/units/${unit.unitId}?/bind`, fields, {}, administrator).then(answerOf);
		const pair = { unit: unit.unitId, position: profile.positions[0]! };
		expect((await bind(pair)).data).to.include({ wantsReason: true });
		expect((await bind({ ...pair, reason: 'bench test' })).type).to.equal('success');
		expect((await unwalled()('binding').where({ unit_id: unit.unitId }).first()).override_reason).to.equal(
			'bench test'
		);
	});

	it('say when the uplink itself would change, and what changes beside the configuration', async () => {
		const person = await newPerson('administrator');
		const before = await releasedPart(REACH, [field('hostname')]);
		const after = await releasedPart(REACH.replace('{ lease; }', '{ address 192.0.2.9/24; lease; }'), [
			field('hostname')
		]);
		const profile = await releasedProfile([before.revisionId], [{ hostname: 'h1' }]);
		const draft = {
			...EMPTY,
			parts: [after.revisionId],
			targets: { 'okapira-og': '7.0.3' },
			scripts: { braced: { after: 'save\n' } }
		};
		must(
			await saveProfile(profile.id, 0, draft, ACTOR).then((saved) =>
				saved.ok ? saved : { ok: false as const, problem: saved.problem }
			)
		);
		const impact = await impactFor(profile.id, person);
		expect(impact.result!.uplink.map(({ id }) => id)).to.deep.equal(profile.positions);
		const page = await (await get(`/profiles/${profile.id}/release`, person)).text();
		expect(page)
			.to.contain('The firmware of okapira-og is new.')
			.and.contain('The braced script after the configuration is new.')
			.and.contain('The uplink itself would change at 1 position');
	});

	it('go on computing what a release changes where a process that ended left it', async () => {
		const person = await newPerson('administrator');
		const part = await releasedPart(REACH, [field('hostname')]);
		const profile = await releasedProfile([part.revisionId], [{ hostname: 'h1' }, { hostname: 'h2' }]);
		await saveProfile(
			profile.id,
			0,
			{ ...EMPTY, parts: [part.revisionId], values: { hostname: 'x' } },
			ACTOR
		);
		const row = (await revisionsOf(profile.id)).find(({ state }) => state === 'draft')!;
		await asOwner(
			`insert into impact (id, revision_id, edit, person_id, state, total, done, touched_at)
			values (gen_random_uuid(), $1, 1, $2, 'working', 2, 1, now() - interval '1 hour')`,
			[row.id, person.id]
		);
		const impact = await impactFor(profile.id, person);
		expect(impact).to.include({ state: 'done', total: 2, done: 2 });
		expect(
			impact.result!.groups.map(({ change, positions }) => [change.kind, positions.length])
		).to.deep.equal([['same', 2]]);
	});

	it('carry scripts with values, files by their hash, and checks', async () => {
		const part = await releasedPart(REACH, [
			field('hostname'),
			field('code_word', { type: { kind: 'secret' } })
		]);
		const [motd, other] = [
			{ name: 'motd.txt', text: 'kia ora\n' },
			{ name: 'motd.txt', text: 'not yet\n' }
		];
		const more = {
			scripts: { braced: { before: 'fetch {{ file.motd_txt }}\nsay {{ code_word }}\n', after: 'save\n' } },
			files: [motd],
			checks: [
				{
					name: 'It knows its name',
					asks: { braced: { command: 'tell name', expects: 'words' as const, words: '{{ hostname }}' } }
				}
			]
		};
		const { id, positions } = await releasedProfile(
			[part.revisionId],
			[{ hostname: 'named' }],
			'Marlstone Veterinary',
			more
		);
		const [positionId] = positions as [string];
		await saveProfile(id, 0, { ...EMPTY, ...more, parts: [part.revisionId], files: [other] }, ACTOR);
		const path = (file: { name: string; text: string }) => new URL(fileUrl(storedFile(file))).pathname;
		const answer = await fetch(address(path(motd)));
		expect([answer.status, await answer.text()]).to.deep.equal([200, 'kia ora\n']);
		for (const wrong of [
			path(other),
			path(motd).replace('motd', 'other'),
			'/files/nothing/motd.txt',
			`/files/${'0'.repeat(64)}/motd.txt`
		])
			expect((await fetch(address(wrong))).status, wrong).to.equal(404);
		const previewed = async () =>
			previewOf((await renderingSources(database(), [positionId])).get(positionId)!);
		expect((await previewed()).problems.map(({ field }) => field)).to.deep.equal(['code_word']);
		await unwalled()('position')
			.where({ id: positionId })
			.update({ values: JSON.stringify({ hostname: 'named', code_word: seal('swordfish') }) });
		const { ok, beside } = await previewed();
		expect(ok).to.equal(true);
		expect(beside.map(({ name }) => name)).to.deep.equal([
			'Script before the configuration',
			'Script after the configuration',
			'Check “It knows its name”',
			'File motd.txt'
		]);
		expect(JSON.stringify(beside)).to.contain('must say: named').and.not.contain('swordfish');
		const unit = await newUnit('gateway');
		must(await bindUnit(positionId, unit.unitId, ACTOR));
		const { 'ietf-sztp-bootstrap-server:output': output } = await (
			await invoke('get-bootstrapping-data', unit)
		).json();
		const given = decodeConveyed(output['conveyed-information']);
		if (!given.ok || !(ONBOARDING in given.information)) throw new Error('no onboarding information');
		const information = given.information[ONBOARDING];
		expect(fromBase64(information['pre-configuration-script']!)).to.equal(
			`fetch ${fileUrl(storedFile(motd))}\nsay swordfish\n`
		);
		expect(fromBase64(information['post-configuration-script']!)).to.equal('save\n');
	});

	it('withhold what has come to strand a unit since it was bound', async () => {
		const part = await releasedPart(REACH.replace('lease;', '{{ uplink }};'), [
			field('hostname'),
			field('uplink', { type: { kind: 'choice', choices: ['lease', 'closed'] } })
		]);
		const profile = await releasedProfile(
			[part.revisionId],
			[{ hostname: 'h1', uplink: 'lease' }],
			'Marlstone Veterinary'
		);
		const unit = await newUnit('gateway');
		const { runId } = must(await bindUnit(profile.positions[0]!, unit.unitId, ACTOR));
		must(
			await saveValues(
				[{ positionId: profile.positions[0]!, field: 'uplink', was: 'lease', now: 'closed' }],
				ACTOR
			)
		);
		expect((await invoke('get-bootstrapping-data', unit)).status).to.equal(404);
		expect((await runOf(runId)).failure_words).to.match(
			/would strand the unit.*without an address on its uplink.*closes the uplink/
		);
	});

	it('serve a unit of any model for which every part has a text, and no other', async () => {
		const part = await releasedPart(REACH, [field('hostname')]);
		const profile = await releasedProfile([part.revisionId], [{ hostname: 'h1' }], 'Marlstone Veterinary');
		const page = await get(`/profiles/${profile.id}`, await newPerson('administrator')).then((answer) =>
			answer.text()
		);
		expect(page).to.include('has no text in the indented dialect');
		const { rows } = await unwalled().raw(`select id from model where id = 'vt-340'`);
		expect(rows).to.have.lengthOf(1);
		const unit = await newUnit('router');
		await unwalled()('unit').where({ id: unit.unitId }).update({ model_id: 'vt-340' });
		expect(why(await bindUnit(profile.positions[0]!, unit.unitId, ACTOR))).to.match(
			/is not written for a VT-340/
		);
		const point = await newUnit('access-point');
		expect(why(await bindUnit(profile.positions[0]!, point.unitId, ACTOR))).to.match(
			/cannot serve as gateway/
		);
	});
});

describe('a unit', () => {
	it('is given what its position’s profile computes, with the values of its site', async () => {
		const part = await releasedPart(
			`${REACH}wire {{ port.lan }} { address {{ lan | host_interface: 1 }}; }\n`,
			[field('hostname'), field('lan', { type: { kind: 'prefix' }, scope: 'site' })]
		);
		const profile = await releasedProfile([part.revisionId], [{ hostname: 'given' }], 'Marlstone Veterinary');
		const unit = await newUnit('gateway');
		const { runId } = must(await bindUnit(profile.positions[0]!, unit.unitId, ACTOR));
		await saveValues(
			[{ positionId: profile.positions[0]!, field: 'lan', was: '', now: '10.90.0.0/24' }],
			ACTOR
		);
		expect((await invoke('get-bootstrapping-data', unit)).status).to.equal(200);
		await report({ ...unit, positionId: profile.positions[0]!, runId } as never, 'bootstrap-initiated');
		expect((await runOf(runId)).outcome).to.equal('open');
		const source = (await renderingSources(database(), [profile.positions[0]!])).get(profile.positions[0]!)!;
		const line = (await previewOf(source)).lines.find(({ text }) => text.includes('10.90.0.1/24'))!;
		expect(line).to.deep.include({ sources: [7], fields: ['port.lan', 'lan'] });
	});
});
