import { expect } from 'chai';
import { inRecords } from '../../programs';
import { readWhatIsDue } from '../../../src/lib/server/connectors';
import { BOOTSTRAP, runAs } from '../../../src/lib/server/database';
import { onChange } from '../dialling';
import { get, lineOf, newLabel, openPosition, unwalled } from '../making';
import { connectorScene } from './connector-making';

describe('connectors', function () {
	const { scene, act, last, read, rows, stated, mapped, COLUMNS, ready, compare, take, sites, siteNamed } =
		connectorScene();

	it('shows the columns of a source with a suggestion, compares without changing anything, and takes over what is new', async () => {
		const id = await stated();
		await act(id, 'look', { connector: id });
		expect((await read(id)).state).to.equal('compared');
		const page = await (await get(`/sites/connectors/${id}`, scene.coordinator)).text();
		expect(page).to.contain('021 555 0101').and.to.contain('Choose these');
		await mapped(id, COLUMNS);
		const run = await compare(id);
		expect(run.counts).to.include({ new: 2, changed: 0, same: 0 });
		expect(await sites()).to.have.length(0);
		await take(id);
		expect((await sites()).map(({ name, locality }) => [name, locality])).to.deep.equal([
			['Pier', 'Picton'],
			['Wharf', 'Nelson']
		]);
		expect((await siteNamed('Pier')).appointment_at).to.not.equal(null);
		const entry = await unwalled()('ledger_entry')
			.where({ act: 'plan site', customer_id: scene.customerKey })
			.first();
		expect(entry.actor).to.equal(inRecords(scene.coordinator.name));
		expect((await compare(id)).counts).to.include({ new: 0, changed: 0, same: 2 });
	});

	it('takes what changed there, leaves what changed here, and asks where both did', async () => {
		const id = await ready();
		await compare(id);
		await take(id);
		const wharf = await siteNamed('Wharf');
		// Here somebody changes a telephone number and a place; there another number is put in, and a place
		await unwalled()('site').where({ id: wharf.id }).update({ phone: '021 555 0999', locality: 'Stoke' });
		scene.places[0] = { ...scene.places[0]!, phone: '021 555 0102', town: 'Nelson' };
		scene.places[1] = { ...scene.places[1]!, town: 'Blenheim' };
		expect((await compare(id)).counts).to.include({ changed: 1, conflict: 1 });
		await take(id);
		expect(await siteNamed('Pier')).to.include({ locality: 'Blenheim' });
		expect(await siteNamed('Wharf')).to.include({ phone: '021 555 0999', locality: 'Stoke' });
		const [conflict] = (await rows(id)).filter(({ verdict }) => verdict === 'conflict');
		expect(conflict.differences).to.deep.equal([
			{ what: 'phone', before: '021 555 0101', here: '021 555 0999', there: '021 555 0102', isConflict: true }
		]);
		// As it is here: asked no more, until the scene.source changes it again
		const { id: run } = await last(id);
		const decision = { run, row: String(conflict.ordinal) };
		expect((await act(id, 'decide', { ...decision, side: 'here' })).type).to.equal('success');
		expect((await act(id, 'decide', { ...decision, side: 'here' })).status).to.equal(409);
		expect((await compare(id)).counts).to.include({ conflict: 0, changed: 0 });
		scene.places[0] = { ...scene.places[0]!, phone: '021 555 0103' };
		expect((await compare(id)).counts).to.include({ conflict: 1 });
		const again = await last(id);
		const [row] = await rows(id);
		await act(id, 'decide', { run: again.id, row: String(row.ordinal), side: 'there' });
		expect(await siteNamed('Wharf')).to.include({ phone: '021 555 0103' });
		// An older comparison decides nothing
		expect((await act(id, 'decide', { ...decision, side: 'there' })).data!.problem).to.contain(
			'newer comparison'
		);
	});

	it('overwrites nothing that somebody changed between comparing and taking over', async () => {
		const id = await ready();
		await compare(id);
		await take(id);
		scene.places[0] = { ...scene.places[0]!, phone: '021 555 0104' };
		await compare(id);
		await unwalled()('site').where({ customer_id: scene.customerKey, name: 'Wharf' }).update({ phone: '1' });
		await take(id);
		const { work_id } = await last(id);
		const item = await unwalled()('long_work_item').where({ work_id }).first();
		expect(item.words).to.contain('changed here since it was compared');
		expect(await siteNamed('Wharf')).to.include({ phone: '1' });
	});

	it('says what is gone and removes nothing; does nothing of itself when much is gone at once', async () => {
		scene.places = Array.from({ length: 30 }, (_, at) => ({ id: `s${at}`, name: `Shop ${at}` }));
		const id = await ready({ every: '60', byItself: 'on' });
		await runAs(BOOTSTRAP, readWhatIsDue);
		await read(id);
		await onChange(['plan', 'work'], async () => (await sites()).length === 30);
		await onChange(
			['work'],
			async () =>
				(
					await unwalled()('long_work')
						.where({ id: (await last(id)).work_id })
						.first()
				).state === 'done'
		);
		scene.places = [
			{ id: 's0', name: 'Shop 0', town: 'Nelson' },
			{ id: 'new', name: 'Shop new' }
		];
		await unwalled()('connector').where({ id }).update({ next_at: new Date() });
		await runAs(BOOTSTRAP, readWhatIsDue);
		const run = await read(id);
		expect(run.counts).to.include({ gone: 29, changed: 1, new: 1 });
		expect(run.trouble).to.contain('29 sites of 30 are gone');
		expect(run.work_id).to.equal(null);
		expect(await sites()).to.have.length(30);
	});

	it('refuses records that are wrong, each with its reason, and takes the others', async () => {
		scene.places = [
			{ id: '1', name: 'Wharf', visit: 'some day' },
			{ id: '2', name: '' },
			{ id: '3', name: 'Twice' },
			{ id: '3', name: 'Twice too' },
			{ id: '', name: 'Nameless' },
			{ id: '4', name: 'Good' }
		];
		const id = await ready();
		expect((await compare(id)).counts).to.include({ refused: 5, new: 1 });
		const problems = (await rows(id)).flatMap((row) => row.problems as string[]).join(' ');
		expect(problems)
			.to.contain('some day')
			.and.to.contain('stands 2 times')
			.and.to.contain('says nothing of a site');
		await take(id);
		expect((await sites()).map(({ name }) => name)).to.deep.equal(['Good']);
	});

	it('brings positions with their values, and changes them', async () => {
		scene.places = [{ id: '1', name: 'Wharf' }];
		const byName = await ready();
		await compare(byName);
		await take(byName);
		const told = (name: string) => (response: { writeHead(status: number): { end(text: string): void } }) =>
			response
				.writeHead(200)
				.end(
					`key,where,what,kind,name\nk1,wharf,ap-1,Indoor access point,${name}\nk2,nowhere,ap-1,Indoor access point,x\n`
				);
		scene.source.answers(told('wharf-ap-1'));
		const id = await stated({ name: 'Positions', kind: 'positions' });
		expect(
			(await mapped(id, { where: 'site', what: 'position', kind: 'profile', name: 'hostname' }, 'key')).type
		).to.equal('success');
		expect((await compare(id)).counts).to.include({ new: 1, refused: 1 });
		await take(id);
		const position = await unwalled()('position')
			.where({ customer_id: scene.customerKey, name: 'ap-1' })
			.first();
		expect(position.values).to.include({ hostname: 'wharf-ap-1' });
		expect((await compare(id)).counts).to.include({ same: 1, refused: 1 });
		scene.source.answers(told('wharf-ap-2'));
		expect((await compare(id)).counts).to.include({ changed: 1, refused: 1 });
		await take(id);
		const { values } = await unwalled()('position').where({ id: position.id }).first();
		expect(values).to.include({ hostname: 'wharf-ap-2' });
		// Other tests render every position that there is
		await unwalled()('position').where({ id: position.id }).delete();
	});

	it('takes units in, binds them where their record says, and keeps their codes sealed', async () => {
		const at = await openPosition('gateway', scene.customer);
		const position = await unwalled()('position')
			.join('site', 'site.id', 'site_id')
			.where('position.id', at)
			.first('position.name', 'site.name as site');
		const labels = [newLabel(), newLabel()];
		scene.source.answers((response) =>
			response.writeHead(200).end(
				JSON.stringify([
					...labels.map(({ serial, mac, claimCode }, index) => ({
						serial,
						mac,
						claimCode,
						...(index === 0 && { at: position.site, place: position.name })
					})),
					{ serial: 'rubbish', mac: '', claimCode: 'x' }
				])
			)
		);
		const id = await stated({ kind: 'units' });
		await mapped(
			id,
			{ serial: 'serial number', mac: 'MAC address', claimCode: 'claim code', at: 'site', place: 'position' },
			'serial'
		);
		expect((await compare(id)).counts).to.include({ new: 2, refused: 1 });
		expect(JSON.stringify(await rows(id))).to.not.contain(labels[0]!.claimCode);
		const kept = await unwalled()('connector').where({ id }).first();
		expect(JSON.stringify(kept)).to.contain('…').and.to.not.contain(labels[0]!.claimCode);
		const { id: run } = await last(id);
		await act(id, 'take', { run });
		await onChange(
			['connectors'],
			async () => (await unwalled()('connector_run').where({ id: run }).first()).taker_id === null
		);
		const units = await unwalled()('unit').whereIn(
			'serial',
			labels.map(({ serial }) => serial)
		);
		expect(units).to.have.length(2);
		expect(await unwalled()('binding').where({ position_id: at }).first()).to.not.equal(undefined);
		expect((await compare(id)).counts).to.include({ same: 2, refused: 1, new: 0 });
		expect(lineOf(labels[0]!)).to.contain(labels[0]!.serial);
	});
});
