import { expect } from 'chai';
import type { LearntChoice } from '../../../src/core/takeon';
import { runAs } from '../../../src/lib/server/database';
import {
	allParts,
	draftFrom,
	putIntoLibrary,
	releasePart,
	renderingSources,
	renderPosition,
	revisionsById,
	revisionsOf,
	revisionsOfPart,
	savePart
} from '../../../src/lib/server/profile';
import {
	addConfigurations,
	choose,
	endTakeOn,
	givePlaces,
	groupsOfTakeOn,
	leaveOut,
	reportOfTakeOn,
	sayModel,
	takeOnById,
	takeUnitsOn,
	textsOfTakeOn,
	undoChoice,
	unitsOfTakeOn
} from '../../../src/lib/server/takeon';
import { database } from '../../../src/lib/server/database';
import { ACTOR, actorOf, newPerson, unwalled } from '../making';
import { must, why } from '../profile/profile-making';
import { lodges, onlyGroup, learnt, released, worked, LODGES, begun } from './takeon-making';

describe('taking on what somebody else configured', () => {
	it('learns a profile from twelve, keeps secrets sealed, and brings all of them into the plan as they run', async () => {
		const id = await lodges();
		const units = await unitsOfTakeOn(id);
		expect(units.map(({ model }) => model)).to.deep.equal(units.map(() => 'VT-120'));
		const group = await onlyGroup(id);
		expect(group.result!.proofs.filter(({ holds }) => !holds)).to.deep.equal([]);
		// What the library says already is left to it, with what most of them give it
		expect(group.result!.parts.map(({ name }) => name)).to.deep.equal(['Time and logging']);
		expect(group.result!.shared).to.include({ time_server: 'time.harrier.example' });
		expect(group.result!.text).to.not.match(/time-server|name-server|log-to/);
		const larch = units.find(({ name }) => name === 'larch-gw')!;
		const cedar = units.find(({ name }) => name === 'cedar-gw')!;
		expect(group.result!.questions.map(({ kind, units: whose }) => [kind, whose])).to.have.deep.members([
			['only here', [larch.id]],
			['other value', [cedar.id]]
		]);
		expect(larch)
			.to.include({ position: 'gw' })
			.and.property('site')
			.to.match(/^Larch Lodge/);
		for (const row of await unwalled()('take_on_unit').where({ take_on_id: id }))
			expect(JSON.stringify(row)).not.to.contain('kettle');
		for (const row of await unwalled()('take_on_group').where({ take_on_id: id }))
			expect(JSON.stringify(row)).not.to.contain('kettle');

		expect(why(await takeUnitsOn(id, { timeZone: 'Pacific/Auckland' }, ACTOR))).to.match(/^No unit waits/);
		must(
			await choose(
				id,
				{ group: group.id, choice: { kind: 'scope', field: 'own_address', scope: 'site' } },
				ACTOR
			)
		);
		await learnt(id);
		const profileId = await released(id);
		const [part] = (await allParts(profileId)).filter(({ onlyFor }) => onlyFor === profileId);
		const { parts, values } = (await revisionsById(database(), [(await revisionsOf(profileId))[0]!.id]))
			.values()
			.next().value!;
		expect(parts.map(({ name }) => name)).to.deep.equal(['Time and logging', part!.name]);
		expect(values).to.include({ time_server: 'time.harrier.example' });
		expect((await allParts()).map((one) => one.id)).not.to.include(part!.id);
		must(await takeUnitsOn(id, { timeZone: 'Pacific/Auckland' }, ACTOR));
		const items = await worked();
		expect(items.filter(({ state }) => state !== 'done')).to.deep.equal([]);

		const placed = await unitsOfTakeOn(id);
		const texts = await textsOfTakeOn(id);
		const positions = placed.map(({ positionId }) => positionId!);
		const sources = await renderingSources(database(), positions);
		for (const unit of placed) {
			const rendering = renderPosition(sources.get(unit.positionId!)!);
			if (!rendering.ok) throw new Error(rendering.problems[0]!.message);
			const statements = (text: string) => text.split('\n').filter((line) => line && !line.startsWith('!'));
			expect(statements(rendering.text), unit.name).to.have.members(statements(texts.get(unit.id)!));
		}
		const sites = await unwalled()('site').whereIn(
			'id',
			placed.map(({ siteId }) => siteId!)
		);
		expect(sites.filter(({ values }) => /^10\.40\./.test(values.own_address))).to.have.length(12);
		const stances = await unwalled()('stance').whereIn(
			'site_id',
			placed.map(({ siteId }) => siteId!)
		);
		expect(stances.map(({ stance }) => stance)).to.deep.equal(placed.map(() => 'watch'));
		expect((await reportOfTakeOn(id)).slice(1).map((row) => row[6])).to.deep.equal(placed.map(() => 'yes'));
		// Once is enough
		expect(why(await takeUnitsOn(id, { timeZone: 'Pacific/Auckland' }, ACTOR))).to.match(/^No unit waits/);
		must(await putIntoLibrary(part!.id, ACTOR));
		expect((await allParts()).map((one) => one.id)).to.include(part!.id);
		must(await endTakeOn(id, ACTOR));
		expect([...(await textsOfTakeOn(id)).values()].join('')).to.equal('');
		expect(why(await draftFrom(profileId, 1, ACTOR))).to.equal('done');
	});

	it('has what somebody wants otherwise, proved anew, also when more units come, and takes it back', async () => {
		const id = await lodges();
		const { id: group } = await onlyGroup(id);
		const wants = async (choice: LearntChoice) => {
			must(await choose(id, { group, choice }, ACTOR));
			await learnt(id);
			return (await onlyGroup(id)).result!;
		};
		expect((await wants({ kind: 'rename', field: 'own_address', to: 'lan' })).text).to.contain(
			'own-address {{ lan }}'
		);
		const [said] = (await onlyGroup(id)).result!.parts;
		const written = await wants({ kind: 'write out', part: said!.id });
		expect(written.parts).to.deep.equal([]);
		// It stays so when the part is released anew
		const part = (await allParts()).find(({ name }) => name === said!.name)!;
		const [newest] = await revisionsOfPart(part.id);
		must(await savePart(part.id, 0, newest!, ACTOR));
		must(await releasePart(part.id, 1, 'the same once more', ACTOR));
		expect(written.text).to.contain('time-server {{ time_server }}').and.contain('own-address {{ lan }}');
		const constant = await wants({ kind: 'constant', field: 'time_server' });
		expect(constant.text).to.contain('time-server time.harrier.example');
		expect(constant.proofs.filter(({ own }) => own.length > 0)).to.have.length(2);
		must(
			await addConfigurations(
				id,
				[
					{
						name: 'oak-gw.cfg',
						text: LODGES[0]!.text.replaceAll(/birch/gi, 'Oak').replaceAll('.41.', '.60.')
					}
				],
				ACTOR
			)
		);
		await learnt(id);
		const more = await onlyGroup(id);
		expect(more.id).to.equal(group);
		expect(more.result!.text).to.equal(constant.text);
		expect(more.result!.proofs).to.have.length(13);
		must(await undoChoice(id, { group }, ACTOR));
		await learnt(id);
		expect((await onlyGroup(id)).result!.text).to.contain('{{ time_server }}');
		await wants({ kind: 'rename', field: 'gone', to: 'other' });
		expect((await onlyGroup(id)).problems).to.deep.equal(['There is no field gone any more.']);
	});

	it('finds what follows from a site’s name once somebody says where units are', async () => {
		const id = await lodges();
		const units = await unitsOfTakeOn(id);
		const places = units.map(({ id: unit, site, position }) => ({ unit, site, position }));
		const twice = places.with(1, { ...places[1]!, site: places[0]!.site });
		expect(why(await givePlaces(id, { places: twice }, ACTOR))).to.match(/^Two units are called gw/);
		must(await givePlaces(id, { places }, ACTOR));
		await learnt(id);
		const location = (await onlyGroup(id)).result!.fields.find(({ name }) => name === 'location');
		expect(location!.formula).to.equal('site.name');
	});

	it('puts apart what is not alike, keeps as text what nobody can read, and reads it when somebody says what it is', async () => {
		const id = await begun();
		const braced = (n: number) =>
			`identity { name g${n}; }\nclock { server time.example; }\nwire uplink0 { lease; }\n`;
		must(
			await addConfigurations(
				id,
				[
					...LODGES.slice(0, 3),
					...[1, 2].map((n) => ({ name: `g${n}`, text: braced(n) })),
					{ name: 'letter', text: 'Dear all,\n   we moved.\n Yours' },
					{ name: 'broken', text: 'identity { name g9;\n' }
				],
				ACTOR
			)
		);
		await learnt(id);
		expect((await groupsOfTakeOn(id)).map(({ dialect }) => dialect)).to.deep.equal(['indented', 'braced']);
		const unread = (await unitsOfTakeOn(id)).filter((unit) => unit.unread !== '');
		expect(unread.map(({ name }) => name)).to.deep.equal(['broken', 'letter']);
		const broken = unread[0]!.id;
		expect(why(await sayModel(id, { unit: [broken], model: 'no-such' }, ACTOR))).to.equal(
			'There is no such model.'
		);
		must(await sayModel(id, { unit: [broken], model: 'og-2' }, ACTOR));
		await learnt(id);
		expect((await unitsOfTakeOn(id)).find((unit) => unit.id === broken)!.unread).to.match(/^Line 1: /);
		must(await leaveOut(id, { unit: unread.map((unit) => unit.id) }, ACTOR));
		await learnt(id);
		expect((await unitsOfTakeOn(id)).map(({ name }) => name)).to.not.include('letter');
	});

	it('is for engineers who plan for the customer, and refuses what is too much', async () => {
		const id = await lodges();
		const stranger = await newPerson({ 'Southfold Physio': 'engineer' });
		const coordinator = await newPerson({ 'Harrier Lodges': 'coordinator' });
		for (const person of [stranger, coordinator]) {
			const actor = await actorOf(person);
			await runAs({ kind: 'person', personId: person.id }, async () => {
				expect((await addConfigurations(id, LODGES, actor)).ok).to.equal(false);
				expect((await endTakeOn(id, actor)).ok).to.equal(false);
			});
		}
		await runAs({ kind: 'person', personId: stranger.id }, async () => {
			expect(await takeOnById(id)).to.equal(undefined);
			expect(await unitsOfTakeOn(id)).to.deep.equal([]);
		});
		const add = async (name: string, text: string) =>
			why(await addConfigurations(id, [{ name, text }], ACTOR));
		expect(await add('empty', '\n\n')).to.match(/is empty/);
		expect(await add(' ', 'hostname x')).to.match(/needs a name/);
		expect(await add('long', 'x\n'.repeat(30_000))).to.match(/longer than/);
		const many = Array.from({ length: 1_000 }, (_, at) => ({ name: `u${at}`, text: 'hostname x' }));
		expect(why(await addConfigurations(id, many, ACTOR))).to.match(/^At most 1,000 units/);
	});
});
