import { expect } from 'chai';
import fc from 'fast-check';
import Papa from 'papaparse';
import { decodeConveyed, fromBase64, ONBOARDING } from '../../src/core/bootstrap';
import type { Field } from '../../src/core/profile';
import { database, runAs } from '../../src/lib/server/database';
import { seal } from '../../src/lib/server/keys';
import type { Actor } from '../../src/lib/server/ledger';
import { bindUnit } from '../../src/lib/server/onboarding';
import {
	allotMissing,
	compareSheet,
	createPool,
	importUsed,
	poolMap,
	readSheetFile,
	releaseAllotment,
	saveValues,
	sheetAsCsv,
	sheetAsXlsx,
	sheetColumns,
	sheetRows,
	sheetSize
} from '../../src/lib/server/plan';
import {
	createPart,
	createProfile,
	draftFrom,
	dropPartDraft,
	impactOf,
	previewOf,
	releasePart,
	releaseProfile,
	renderingSources,
	retirePart,
	revisionsById,
	revisionsOf,
	revisionsOfPart,
	savePart,
	saveProfile,
	EMPTY_DRAFT,
	fileUrl,
	storedFile,
	type ProfileDraft
} from '../../src/lib/server/profile';
import {
	ACTOR,
	address,
	answerOf,
	asOwner,
	customerId,
	doneBy,
	get,
	invoke,
	newPerson,
	newUnit,
	post,
	report,
	runOf,
	type TestPerson,
	unwalled
} from './making';
import { workbook } from './workbook';

let named = 0;
const fresh = (what: string) => `${what} ${process.pid} ${++named}`;
const must = <Done>(act: { ok: true; done: Done } | { ok: false; problem: string }): Done => {
	if (!act.ok) throw new Error(act.problem);
	return act.done;
};
const why = (act: { ok: boolean; problem?: string }) => (act.ok ? 'done' : act.problem);
const EMPTY = EMPTY_DRAFT;
const REACH = `identity { name {{ hostname }}; }
clock { server time.example; }
resolver { server 192.0.2.53; }
wire {{ port.uplink }} { lease; }
keeper limen { key {{ limen.public_key | quoted }}; }
beacon { host {{ limen.call_home_host }}; port {{ limen.call_home_port }}; }
`;
const field = (name: string, more: Partial<Field> = {}): Field => ({
	name,
	type: { kind: 'hostname' },
	description: '',
	example: '',
	need: 'required',
	scope: 'position',
	...more
});

/** A released part. */
async function releasedPart(
	text: string,
	fields: Field[],
	actor: Actor = ACTOR
): Promise<{ id: string; revisionId: string }> {
	const { id } = must(
		await createPart({ name: fresh('Part'), summary: '', texts: { braced: text }, fields }, actor)
	);
	must(await releasePart(id, 1, 'for a test', actor));
	return { id, revisionId: (await revisionsOfPart(id))[0]!.id };
}

/** A released profile for gateways, with positions that follow it at sites of their own. */
async function releasedProfile(
	parts: string[],
	positions: Record<string, unknown>[],
	customer = 'Southfold Physio',
	more: Partial<ProfileDraft> = {}
) {
	const { id } = must(
		await createProfile(
			{ name: fresh('Profile'), role: 'gateway', draft: { ...EMPTY, ...more, parts } },
			ACTOR
		)
	);
	must(await releaseProfile(id, 1, 'for a test', false, ACTOR));
	const ids: string[] = [];
	for (const values of positions) {
		const { rows } = await unwalled().raw(
			`with made as (insert into site (id, customer_id, name, time_zone, uplink) select gen_random_uuid(), id, ?, 'Pacific/Auckland', 'fibre' from customer where name = ? returning id, customer_id)
			insert into position (id, site_id, customer_id, name, role_id, profile_id, values)
			select gen_random_uuid(), made.id, customer_id, 'gw-1', 'gateway', ?, ?::jsonb from made returning id`,
			[fresh('Profile site'), customer, id, JSON.stringify(values)]
		);
		ids.push(rows[0].id);
	}
	return { id, positions: ids };
}

/** The impact of a profile's draft, once it is computed. */
async function impactFor(profileId: string, person: TestPerson) {
	const draft = (await revisionsOf(profileId)).find(({ state }) => state === 'draft')!;
	const revision = (await revisionsById(database(), [draft.id])).get(draft.id)!;
	return runAs({ kind: 'person', personId: person.id }, async () => {
		for (;;) {
			const impact = await impactOf(revision, person.id);
			if (impact.state !== 'working') return impact;
			// Computed beside this in the same process
			await new Promise((resolve) => setImmediate(resolve));
		}
	});
}

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
			(await impactFor(profile.id, person)).result!.groups.map(({ change }) => change.kind)
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

describe('the value sheet', () => {
	const customer = 'Southfold Physio';
	const lan = field('lan', { type: { kind: 'prefix', version: 4 }, scope: 'site' });
	async function sheet(values: Record<string, unknown>[]) {
		const part = await releasedPart('name {{ hostname }};\naddress {{ lan }};\n', [field('hostname'), lan]);
		const profile = await releasedProfile([part.revisionId], values, customer);
		const choice = { profileId: profile.id, customerId: await customerId(customer) };
		return { ...profile, choice, rows: () => sheetRows(choice, 0, 100), columns: await sheetColumns(choice) };
	}

	it('saves all or nothing, and says what is wrong cell by cell', async () => {
		const { positions, rows } = await sheet([{}, { hostname: 'b' }]);
		const [a, b] = positions as [string, string];
		const wrong = await saveValues(
			[
				{ positionId: a, field: 'hostname', was: '', now: 'fine' },
				{ positionId: a, field: 'lan', was: '', now: '10.0.0.1/24' },
				{ positionId: b, field: 'hostname', was: 'what it was', now: 'c' },
				{ positionId: b, field: 'colour', was: '', now: 'red' }
			],
			ACTOR
		);
		expect(
			wrong.ok ? [] : wrong.cells.map(({ field, message }) => [field, message.slice(0, 40)])
		).to.deep.equal([
			['lan', '“10.0.0.1/24” is an address inside the p'],
			['hostname', 'Somebody changed this meanwhile; it is “'],
			['colour', 'The profile of gw-1 has no field “colour']
		]);
		expect((await rows()).map(({ cells }) => cells)).to.deep.equal([
			['', ''],
			['b', '']
		]);
		expect(
			await saveValues(
				[
					{ positionId: a, field: 'hostname', was: '', now: 'fine' },
					{ positionId: b, field: 'hostname', was: 'b', now: '' },
					{ positionId: b, field: 'lan', was: '', now: '10.0.4.0/24' }
				],
				ACTOR
			)
		).to.deep.equal({ ok: true, done: { cells: 3 } });
		expect((await rows()).map(({ cells }) => cells)).to.deep.equal([
			['fine', ''],
			['', '10.0.4.0/24']
		]);
		const site = (await unwalled()('position').where({ id: b }).first('site_id')).site_id;
		expect((await unwalled()('site').where({ id: site }).first('values')).values).to.deep.equal({
			lan: '10.0.4.0/24'
		});
	});

	it('gives a value for the whole customer, and lets one place differ from it', async () => {
		const vlan = field('shared_vlan', { type: { kind: 'vlan' }, scope: 'customer' });
		const part = await releasedPart('vlan {{ shared_vlan }};\n', [vlan]);
		const { id, positions } = await releasedProfile([part.revisionId], [{}, {}], customer);
		const [a, b] = positions as [string, string];
		const choice = { profileId: id, customerId: await customerId(customer) };
		expect(await sheetColumns(choice)).to.have.lengthOf(0);
		const rows = async (at: 'customer' | 'position') =>
			(await sheetRows({ ...choice, at, all: true }, 0, 9)).map(({ cells, instead, differs }) => [
				cells[0],
				instead[0],
				differs[0]
			]);
		const save = (positionId: string, was: string, now: string, target: 'customer' | 'position') =>
			saveValues([{ positionId, field: 'shared_vlan', was, now, target }], ACTOR);
		expect(await save(a, '', '30', 'customer')).to.deep.equal({ ok: true, done: { cells: 1 } });
		expect(await save(b, '', '40', 'position')).to.deep.equal({ ok: true, done: { cells: 1 } });
		expect(await rows('customer')).to.deep.equal([
			['30', '', ''],
			['30', '', 'The position gives 40, and that counts.']
		]);
		expect(await rows('position')).to.deep.equal([
			['', '30', ''],
			['40', '', 'Differs from the customer’s 30; clear it to follow that.']
		]);
		expect(await save(b, '40', '', 'position')).to.deep.equal({ ok: true, done: { cells: 1 } });
		expect((await rows('position'))[1]).to.deep.equal(['', '30', '']);
		// Two rows that want one value of the customer to be two
		const both = await saveValues(
			[
				{ positionId: a, field: 'shared_vlan', was: '30', now: '31', target: 'customer' },
				{ positionId: b, field: 'shared_vlan', was: '30', now: '32', target: 'customer' }
			],
			ACTOR
		);
		expect(both.ok ? '' : both.cells[0]!.message).to.match(/one value for the whole customer/);
		expect(await save(a, '30', '', 'customer')).to.deep.equal({ ok: true, done: { cells: 1 } });
		const of = (match: string) => sheetSize({ ...choice, match });
		const { name } = await unwalled()('site')
			.where({ id: (await unwalled()('position').where({ id: a }).first('site_id')).site_id })
			.first('name');
		expect([await of(name.toUpperCase()), await of('gw-'), await of('100%')]).to.deep.equal([1, 2, 0]);
	});

	it('is refused to those who may not, and shows nobody what is another’s', async () => {
		const { positions, id } = await sheet([{}]);
		const auditor = await newPerson({ [customer]: 'auditor' });
		const changes = JSON.stringify([{ positionId: positions[0], field: 'hostname', was: '', now: 'x' }]);
		expect((await post('/values?/save', { changes }, {}, auditor).then(answerOf)).data!.problem).to.match(
			/One cell is wrong/
		);
		const other = await newPerson({ 'Marlstone Veterinary': 'engineer' });
		expect(await get(`/values/rows?profile=${id}`, other).then((answer) => answer.json())).to.deep.equal([]);
		const reader = await newPerson({ [customer]: 'reader' });
		expect((await get(`/values?profile=${id}`, reader)).status).to.equal(403);
	});

	it('goes out as CSV and XLSX and comes back the same, in any order of columns', async () => {
		const { rows, columns, choice } = await sheet([{ hostname: 'a' }, { hostname: 'b' }]);
		const present = await rows();
		for (const file of [Buffer.from(sheetAsCsv(columns, present)), await sheetAsXlsx(columns, present)]) {
			const reading = await readSheetFile(file);
			if (!reading.ok) throw new Error(reading.problem);
			expect(compareSheet(reading.cells, columns, present)).to.deep.equal({
				changes: [],
				problems: [],
				missing: []
			});
		}
		const csv = Papa.parse<string[]>(sheetAsCsv(columns, present).slice(1)).data;
		expect(csv[0]).to.deep.equal(['customer', 'site', 'position', 'hostname', 'lan']);
		expect(csv[1]![3]).to.include('required, per position: hostname');
		// Shuffled, with a column left out and a formula whose result counts
		const reading = await readSheetFile(
			Buffer.from(
				workbook([
					['lan', 'position', 'site'],
					[{ formula: 'A1', result: '10.7.0.0/24' }, 'gw-1', present[0]!.site]
				])
			)
		);
		if (!reading.ok) throw new Error(reading.problem);
		const compared = compareSheet(reading.cells, columns, present);
		expect(compared.missing).to.deep.equal(['hostname']);
		expect(compared.changes).to.deep.equal([
			{
				positionId: present[0]!.positionId,
				field: 'lan',
				target: 'site',
				was: '',
				now: '10.7.0.0/24',
				place: `${present[0]!.site} gw-1`
			}
		]);
		const engineer = await newPerson({ [customer]: 'engineer' });
		const file = await get(`/values/file?profile=${choice.profileId}&as=xlsx`, engineer);
		expect(file.headers.get('content-type')).to.include('spreadsheetml');
		expect((await readSheetFile(Buffer.from(await file.arrayBuffer()))).ok).to.equal(true);
	});

	it('names what a file has wrong, line by line, and changes nothing by comparing', async () => {
		const { rows, columns } = await sheet([{}]);
		const present = await rows();
		const { site } = present[0]!;
		const problems = (text: string) =>
			compareSheet(Papa.parse<string[]>(text).data, columns, present).problems;
		expect(problems(`site,position,hostname\n${site},gw-1,a\n${site},GW-1,b\nNowhere,gw-1,c`)).to.deep.equal([
			`Line 3: “${site} GW-1” stands in line 2 already.`,
			'Line 4: there is no position “Nowhere gw-1” with this profile.'
		]);
		expect(problems('site,hostname\nx,y')).to.deep.equal([
			'There is no column “position”. The first row must name the columns.'
		]);
		expect(problems('site,position,colour,hostname,hostname\n')).to.deep.equal([
			'The column “hostname” stands twice.',
			'The profile has no field “colour”.'
		]);
		for (const [content, words] of [
			[Buffer.from('PK\u0003\u0004 not really'), /cannot be read/],
			[Buffer.from([0, 1, 2, 3]), /neither a CSV nor an XLSX/]
		] as const) {
			const reading = await readSheetFile(content);
			expect(reading.ok ? '' : reading.problem).to.match(words);
		}
		const old = await readSheetFile(Buffer.from('site;caf\xe9', 'latin1'));
		expect(old.ok && old.cells).to.deep.equal([['site', 'café']]);
		expect(old.ok && old.remark).to.match(/not in UTF-8/);
		expect(sheetAsCsv(columns, [{ ...present[0]!, site: '=1+1' }])).to.include("'=1+1");
	});

	it('keeps secrets masked on the way out and untouched on the way back', async () => {
		const part = await releasedPart('key {{ key | quoted }};', [field('key', { type: { kind: 'secret' } })]);
		const { id, positions } = await releasedProfile([part.revisionId], [{}], customer);
		const choice = { profileId: id, customerId: await customerId(customer) };
		const cell = { positionId: positions[0]!, field: 'key' };
		expect(await saveValues([{ ...cell, was: '', now: 'hush-hush-2' }], ACTOR)).to.deep.equal({
			ok: true,
			done: { cells: 1 }
		});
		const [row] = await sheetRows(choice, 0, 1);
		expect(row!.cells).to.deep.equal(['••••••']);
		const stored = (await unwalled()('position').where({ id: positions[0] }).first('values')).values;
		expect(stored.key).to.match(/^sealed:/);
		expect(sheetAsCsv(await sheetColumns(choice), [row!])).to.not.include('hush');
		const entry = await unwalled()('ledger_entry').where({ act: 'set values' }).orderBy('id', 'desc').first();
		expect(JSON.stringify(entry)).to.not.include('hush-hush');
	});
});

describe('pools', () => {
	const customer = 'Southfold Physio';
	/** A pool for a field of its own, and sites that wait for it. */
	async function pool(block: string, length: number, sites: number, used: Record<string, string> = {}) {
		const name = `block_${process.pid}_${++named}`;
		const part = await releasedPart(`address {{ ${name} }};\n`, [
			field(name, { type: { kind: 'prefix' }, scope: 'site' })
		]);
		const profile = await releasedProfile(
			[part.revisionId],
			Array.from({ length: sites }, () => ({})),
			customer
		);
		for (const [index, value] of Object.entries(used))
			await unwalled()('site')
				.whereIn(
					'id',
					unwalled()('position')
						.where({ id: profile.positions[Number(index)] })
						.select('site_id')
				)
				.update({ values: JSON.stringify({ [name]: value }) });
		const made = await createPool(
			{
				customerId: await customerId(customer),
				name: fresh('Pool'),
				field: name,
				scope: 'site',
				range: { block, length },
				policy: 'next-free',
				warnBelow: 2
			},
			ACTOR
		);
		return { ...profile, field: name, made };
	}

	it('take over what is in use, give each site the next free block, and keep it until it is released', async () => {
		const { made, field: name, positions } = await pool('10.77.0.0/22', 24, 3, { 1: '10.77.0.0/24' });
		const { id, takenOver } = must(made);
		expect(takenOver).to.equal(1);
		expect(must(await importUsed(id, [{ value: '10.77.2.0/24', label: 'old' }], ACTOR)).count).to.equal(1);
		expect(must(await allotMissing(id, ACTOR))).to.deep.equal({ count: 2, left: 0 });
		const blocks = (await poolMap(id))!.allotments.map(({ block }) => block).sort();
		expect(blocks).to.deep.equal(['10.77.0.0/24', '10.77.1.0/24', '10.77.2.0/24', '10.77.3.0/24']);
		expect(why(await allotMissing(id, ACTOR))).to.match(/Every site that needs/);
		const first = (await poolMap(id))!.allotments.find(({ block }) => block === '10.77.1.0/24')!;
		must(await releaseAllotment(first.id, ACTOR));
		expect(why(await releaseAllotment(first.id, ACTOR))).to.equal('This was released already.');
		const site = await unwalled()('site').where({ id: first.siteId }).first('values');
		expect(site.values).to.not.have.property(name);
		// By hand only what is free
		const at = positions[0]!;
		const give = (now: string, was = '') => saveValues([{ positionId: at, field: name, was, now }], ACTOR);
		const outside = await give('10.78.0.0/24');
		expect(outside.ok ? '' : outside.cells[0]!.message).to.match(/lies outside the pool/);
		const present = (
			await sheetRows(
				{
					profileId: (await unwalled()('position').where({ id: at }).first('profile_id')).profile_id,
					customerId: null
				},
				0,
				9
			)
		).find(({ positionId }) => positionId === at)!.cells[0]!;
		const taken = await give('10.77.2.0/24', present);
		expect(taken.ok ? '' : taken.cells[0]!.message).to.match(/in use already/);
		expect((await give('10.77.1.0/25', present)).ok).to.equal(true);
		expect((await poolMap(id))!.allotments.some(({ block }) => block === '10.77.1.0/25')).to.equal(true);
	});

	it('say when there is too little, and give nothing then', async () => {
		const { id } = must((await pool('10.79.0.0/24', 25, 3)).made);
		expect(why(await allotMissing(id, ACTOR))).to.match(
			/room for 2 more in pool “.*”, and 3 are wanted. Nothing was allotted/
		);
		expect((await poolMap(id))!.allotments).to.deep.equal([]);
	});

	it('never give an address twice in a customer’s network, whoever asks at once; the database holds that too', async () => {
		const { id } = must((await pool('10.80.0.0/20', 24, 9)).made);
		const both = await Promise.all([allotMissing(id, ACTOR), allotMissing(id, ACTOR)]);
		expect(both.filter(({ ok }) => ok)).to.have.lengthOf(1);
		const [first] = (await poolMap(id))!.allotments;
		const row = await unwalled()('allotment').where({ id: first!.id }).first();
		const again = unwalled()('allotment').insert({
			...row,
			id: '00000000-0000-7000-8000-00000000aaaa',
			site_id: null,
			label: 'x',
			block: '10.80.0.128/25'
		});
		expect(await again.then(String, String)).to.match(/allotments_apart/);
		expect(why((await pool('10.80.8.0/24', 25, 0)).made)).to.match(/overlaps another pool/);
		// Another customer's network is another network
		const elsewhere = await createPool(
			{
				customerId: await customerId('Pippin & Loaf'),
				name: fresh('Pool'),
				field: `f_${++named}`,
				scope: 'site',
				range: { block: '10.80.0.0/20', length: 24 },
				policy: 'next-free',
				warnBelow: 0
			},
			ACTOR
		);
		expect(elsewhere.ok).to.equal(true);
	});

	it('hold numbers and IPv6 as well, and refuse what makes no sense', async () => {
		const { id } = must((await pool('2001:db8:40::/48', 64, 2)).made);
		must(await allotMissing(id, ACTOR));
		expect((await poolMap(id))!.allotments.map(({ block }) => block)).to.deep.equal([
			'2001:db8:40::/64',
			'2001:db8:40:1::/64'
		]);
		const engineer = await newPerson({ [customer]: 'engineer' });
		const make = async (more: Record<string, string>) =>
			await post(
				'/addresses?/make',
				{
					customer: await customerId(customer),
					name: fresh('Pool'),
					field: `n_${++named}`,
					scope: 'site',
					...more
				},
				{},
				engineer
			).then(answerOf);
		expect((await make({ block: '10.0.0.1/8', length: '24' })).data!.problem).to.match(
			/address and a length/
		);
		expect((await make({ block: '10.81.0.0/24', length: '20' })).data!.problem).to.match(/must fit/);
		expect((await make({ first: '9', last: '2' })).data!.problem).to.match(/not below/);
		const made = await make({ first: '100', last: '103' });
		expect(made.type).to.equal('redirect');
		expect(
			await fetch(address(made.location!), { headers: { cookie: engineer.cookie } }).then((answer) =>
				answer.text()
			)
		).to.include('100 to 103');
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
