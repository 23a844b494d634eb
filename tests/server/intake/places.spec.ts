import { expect } from 'chai';
import { claimBatch, readColumns } from '../../../src/lib/server/intake';
import {
	approveProposals,
	bindOnTheWay,
	bindUnit,
	declineProposal,
	fillOpenPositions,
	proposals,
	removeRule,
	saveRule,
	startBinding,
	unbindUnit,
	warningsOf
} from '../../../src/lib/server/binding';
import {
	ACTOR,
	answerOf,
	boundUnit,
	customerId,
	get,
	invoke,
	lineOf,
	newLabel,
	newPerson,
	newUnit,
	openPosition,
	post,
	type TestLabel,
	unwalled
} from '../making';
import { onChange } from '../dialling';

const customer = 'Southfold Physio';
const siteOf = async (positionId: string) =>
	unwalled()('position')
		.join('site', 'site.id', 'site_id')
		.where('position.id', positionId)
		.first('site.id', 'site.name');
const boundAt = async (serial: string): Promise<string | null> =>
	(await unwalled()('binding').join('unit', 'unit.id', 'unit_id').where({ serial }).first('position_id'))
		?.position_id ?? null;

/** Takes a list in as the page does. */
async function takeIn(text: string, more: Parameters<typeof claimBatch>[3] = {}) {
	const id = await customerId(customer);
	const act = await claimBatch(id, text, ACTOR, more);
	if (!act.ok) throw new Error(act.problem);
	const { outcomes, work } = await bindOnTheWay(id, act.done, ACTOR);
	return { ...act.done, bound: outcomes, work };
}

describe('lists from suppliers', () => {
	const note = (labels: readonly TestLabel[]) =>
		[
			'Hartwell Supplies;;;',
			`Lieferschein ${labels[0]!.serial};;;`,
			'Artikel;Seriennummer;Freischaltung;Ethernet-ID',
			...labels.map(({ serial, claimCode, mac }) => `OG-2 Gateway;${serial};${claimCode};${mac}`)
		].join('\r\n');

	it('are read by what is in them, below whatever stands above', async () => {
		const labels = [newLabel(), newLabel()];
		const { counts, rows } = await takeIn(note(labels));
		expect(counts).to.include({ claimed: 2, malformed: 0 });
		expect(rows.map(({ mac }) => mac)).to.deep.equal(labels.map(({ mac }) => mac));
	});

	it('are read next time as somebody corrected them, and only those of that supplier', async () => {
		const [first, second] = [
			[newLabel(), newLabel()],
			[newLabel(), newLabel()]
		];
		const supplier = `Hartwell ${first[0]!.serial}`;
		const headed = (labels: readonly TestLabel[]) => note(labels).replace('Artikel', `Artikel ${supplier}`);
		const id = await customerId(customer);
		const columns = [null, 'serial', 'claim', null] as const;
		await takeIn(headed(first), { columns, supplier });
		const again = await readColumns(headed(second), id, '');
		expect(again!.supplier).to.equal(supplier);
		expect(again!.columns.map(({ meaning }) => meaning)).to.deep.equal(columns);
		expect((await readColumns(headed(second), id, 'Somebody else'))!.supplier).to.equal(null);
		expect((await readColumns(note(second), id, ''))!.columns.map(({ by }) => by)).to.not.include('supplier');
		const entries = await unwalled()('ledger_entry').where({ act: 'remember supplier' });
		expect(entries.filter(({ words }) => words.includes(supplier))).to.have.lengthOf(1);
		// The same reading again is nothing new
		await takeIn(headed(second), { columns, supplier });
		expect(
			(await unwalled()('ledger_entry').where({ act: 'remember supplier' })).filter(({ words }) =>
				words.includes(supplier)
			)
		).to.have.lengthOf(1);
	});

	it('come back to be mended under headings that say how they were read', async () => {
		const label = newLabel();
		const { heading, rows } = await takeIn(`${label.claimCode};${label.serial.slice(0, -1)}?`, {
			columns: ['claim', 'serial']
		});
		expect(rows[0]!.verdict).to.equal('malformed');
		const mended = await takeIn(`${heading}\n${label.claimCode};${label.serial}`);
		expect(mended.counts.claimed).to.equal(1);
	});

	it('are shown as they will be read before anything is taken in, and to nobody who may not claim', async () => {
		const coordinator = await newPerson({ [customer]: 'coordinator' });
		const text = note([newLabel(), newLabel()]);
		const shown = await post(
			'/intake?/columns',
			{ text, customer: await customerId(customer) },
			{},
			coordinator
		).then(answerOf);
		const { columns, above } = shown.data!.read as { columns: { meaning: string }[]; above: number };
		expect(columns.map(({ meaning }) => meaning)).to.deep.equal([null, 'serial', 'claim', 'mac']);
		expect(above).to.equal(3);
		const auditor = await newPerson({ [customer]: 'auditor' });
		expect((await post('/intake?/columns', { text }, {}, auditor)).status).to.equal(403);
	});
});

describe('where a list says that units go', () => {
	before(startBinding);

	it('is a site and a position, a site and a profile, a profile alone, or where it was shipped', async () => {
		const [a, b, c] = [
			await openPosition('gateway', customer),
			await openPosition('gateway', customer),
			await openPosition('gateway', customer)
		];
		await unwalled().raw(
			`update site set appointment_at = now() + interval '1 minute' where id = (select site_id from position where id = ?)`,
			[c]
		);
		const [siteA, siteB] = [await siteOf(a), await siteOf(b)];
		const labels = [newLabel(), newLabel(), newLabel(), newLabel(), newLabel()] as const;
		const list = [
			'serial,claim code,site,position,profile',
			`${labels[0].serial},${labels[0].claimCode},${siteA.name},gw-1,`,
			`${labels[1].serial},${labels[1].claimCode},${siteB.name.toUpperCase()},,clinic gateway`,
			`${labels[2].serial},${labels[2].claimCode},,,Clinic gateway`,
			`${labels[3].serial},${labels[3].claimCode},${siteA.name},,`,
			`${labels[4].serial},${labels[4].claimCode},Nowhere clinic,,`
		].join('\n');
		const { bound } = await takeIn(list);
		expect(await boundAt(labels[0].serial)).to.equal(a);
		expect(await boundAt(labels[1].serial)).to.equal(b);
		// Of all open ones the nearest appointment is this one's
		expect(await boundAt(labels[2].serial)).to.equal(c);
		expect(await boundAt(labels[3].serial)).to.equal(null);
		expect(
			await unwalled()('unit').where({ serial: labels[3].serial }).first('shipped_site_id')
		).to.deep.equal({
			shipped_site_id: siteA.id
		});
		expect(bound.get(6)).to.deep.equal({ ok: false, words: 'Not bound: there is no site “Nowhere clinic”.' });
		// The same list again changes nothing
		const before = await unwalled()('binding').orderBy('position_id');
		const again = await takeIn(list);
		expect(again.counts.claimed).to.equal(0);
		expect(again.bound.get(4)).to.deep.equal({ ok: true, words: 'Bound already.' });
		expect(await unwalled()('binding').orderBy('position_id')).to.deep.equal(before);
	});

	it('for more than can be waited for is long work, found again on the page of the batch', async () => {
		const person = await newPerson({ [customer]: 'coordinator' });
		const positions: string[] = [];
		for (let n = 0; n < 101; n++) positions.push(await openPosition('gateway', customer));
		const siteNames = new Map<string, string>(
			(
				await unwalled()('position')
					.join('site', 'site.id', 'site_id')
					.whereIn('position.id', positions)
					.select('position.id', 'site.name')
			).map(({ id, name }) => [id, name])
		);
		const labels = [...positions, positions[0]!].map((position) => ({ ...newLabel(), position }));
		const text = [
			'serial,claim code,site,position',
			...labels.map(
				({ serial, claimCode, position }) => `${serial},${claimCode},${siteNames.get(position)},gw-1`
			)
		].join('\n');
		const taken = await post(
			'/intake?/claim',
			{ customer: await customerId(customer), text },
			{},
			person
		).then(answerOf);
		const { batchId, binding, bound, held, unbound } = taken.data!.outcome as Record<string, unknown> & {
			binding: { id: string; count: number };
		};
		expect({ count: binding.count, bound, held, unbound }).to.deep.equal({
			count: 102,
			bound: 0,
			held: 0,
			unbound: 0
		});
		const work = () => unwalled()('long_work').where({ id: binding.id }).first();
		await onChange(['work'], async () => (await work()).state !== 'under way');
		expect(await work()).to.include({
			state: 'done',
			done: 101,
			failed: 1,
			title: 'Bind 102 units of a list'
		});
		for (const { serial, position } of labels.slice(0, -1)) expect(await boundAt(serial)).to.equal(position);
		// Two units for one position: the first in the list has it
		const [failed] = await unwalled()('long_work_item').where({ work_id: binding.id, state: 'failed' });
		expect(failed.subject).to.include(labels.at(-1)!.serial);
		expect(failed.words).to.equal(
			`gw-1 at ${siteNames.get(positions[0]!)} already has a unit; unbind that one first.`
		);
		const page = await get(`/intake/${batchId}`, person).then((answer) => answer.text());
		expect(page).to.include('Bind 102 units of a list').and.to.include(`/work/${binding.id}`);
	});

	it('warns when a unit that was shipped to one site is bound at another, and takes nothing away', async () => {
		const [here, there] = [await openPosition('gateway', customer), await openPosition('gateway', customer)];
		const label = newLabel();
		const { rows } = await takeIn(
			`serial,claim code,site\n${label.serial},${label.claimCode},${(await siteOf(here)).name}`
		);
		const unitId = rows[0]!.unitId!;
		expect(await warningsOf({ unitId, positionId: here })).to.deep.equal([]);
		const warning = `It was shipped to ${(await siteOf(here)).name}, not to ${(await siteOf(there)).name}.`;
		expect(await warningsOf({ unitId, positionId: there })).to.deep.equal([warning]);
		const coordinator = await newPerson({ [customer]: 'coordinator' });
		const { data } = await post(
			`/units/${unitId}?/bind`,
			{ unit: unitId, position: there },
			{},
			coordinator
		).then(answerOf);
		expect(data).to.deep.include({ warnings: [warning], undo: there });
		expect(await boundAt(label.serial)).to.equal(there);
		// Undone at once, without a question, since it was never heard
		const undone = await post(`/units/${unitId}?/unbind`, { position: there }, {}, coordinator).then(
			answerOf
		);
		expect(undone.type).to.equal('success');
		expect(await boundAt(label.serial)).to.equal(null);
	});

	it('warns when a unit calls from the network of another site far away', async () => {
		const neighbour = await boundUnit('gateway', customer);
		const caller = await newUnit('gateway', customer);
		const positionId = await openPosition('gateway', customer);
		const place = (id: string, latitude: number) =>
			unwalled()('site')
				.whereIn('id', unwalled()('position').where({ id }).select('site_id'))
				.update({ latitude, longitude: 171 });
		await place(neighbour.positionId, -42);
		await place(positionId, -45);
		await unwalled()('unit').where({ id: neighbour.unitId }).update({ heard_address: '198.51.100.17' });
		expect(await warningsOf({ unitId: caller.unitId, positionId })).to.deep.equal([]);
		await unwalled()('unit').where({ id: caller.unitId }).update({ heard_address: '198.51.100.200' });
		const { name } = await siteOf(neighbour.positionId);
		expect(await warningsOf({ unitId: caller.unitId, positionId })).to.deep.equal([
			`It calls from 198.51.100.200, like the units of ${name}, 334 km away.`
		]);
		// Where two sites call from one network, the network says nothing
		const third = await boundUnit('gateway', customer);
		await unwalled()('unit').where({ id: third.unitId }).update({ heard_address: '198.51.100.3' });
		expect(await warningsOf({ unitId: caller.unitId, positionId })).to.deep.equal([]);
	});

	it('keeps from where a unit called', async () => {
		const unit = await boundUnit();
		expect((await invoke('get-bootstrapping-data', unit)).status).to.equal(200);
		const { rows } = await unwalled().raw('select host(heard_address) as address from unit where id = ?', [
			unit.unitId
		]);
		expect(rows[0].address).to.equal('127.0.0.1');
	});
});

describe('rules by which new units fill open positions', () => {
	before(startBinding);

	/** A customer of its own: rules work on all that is open. */
	const made: string[] = [];
	async function ruled(held: boolean) {
		const id = await customerId(customer);
		const act = await saveRule({ customerId: id, modelId: 'og-2', roleId: 'gateway', held }, ACTOR);
		if (!act.ok) throw new Error(act.problem);
		made.push(act.done.id);
		return act.done.id;
	}
	afterEach(async () => {
		for (const id of made.splice(0)) await removeRule(id, ACTOR);
	});
	const soonest = async (minutes: number) => {
		const position = await openPosition('gateway', customer);
		await unwalled().raw(
			`update site set appointment_at = now() + make_interval(mins => ?) where id = (select site_id from position where id = ?)`,
			[minutes, position]
		);
		return position;
	};

	it('bind at once where nothing is held, the nearest appointment first', async () => {
		await ruled(false);
		const [later, sooner] = [await soonest(-3), await soonest(2)];
		const labels = [newLabel(), newLabel()].sort((a, b) => (a.serial < b.serial ? -1 : 1));
		const { bound } = await takeIn(labels.map(lineOf).join('\n'));
		expect(await boundAt(labels[0]!.serial)).to.equal(sooner);
		expect(await boundAt(labels[1]!.serial)).to.equal(later);
		expect([...bound.values()].every(({ ok, words }) => ok && / by rule\.$/.test(words))).to.equal(true);
	});

	it('propose where approval is wanted; one of two people approves or declines', async () => {
		await ruled(true);
		const positions = [await soonest(1), await soonest(2), await soonest(3)];
		const labels = [newLabel(), newLabel(), newLabel()].sort((a, b) => (a.serial < b.serial ? -1 : 1));
		const { bound, rows } = await takeIn(labels.map(lineOf).join('\n'));
		expect([...bound.values()].map(({ ok }) => ok)).to.deep.equal([null, null, null]);
		expect(await boundAt(labels[0]!.serial)).to.equal(null);
		const id = await customerId(customer);
		const waiting = (await proposals(id)).filter(({ serial }) => labels.some((one) => one.serial === serial));
		expect(waiting.map(({ positionId }) => positionId)).to.deep.equal(positions);
		// Proposed ones are proposed no second time
		const [first, second, third] = labels.map(
			({ serial }) => rows.find((row) => row.serial === serial)!.unitId!
		);
		const others = await fillOpenPositions(id, ACTOR);
		expect(others.proposed.map(({ unitId }) => unitId)).to.not.include.oneOf([first, second, third]);
		const acts = await Promise.all([approveProposals([first!], ACTOR), approveProposals([first!], ACTOR)]);
		const approved = acts.filter((act) => act.ok && act.done.outcomes!.every(({ ok }) => ok));
		expect(approved).to.have.lengthOf(1);
		expect(await boundAt(labels[0]!.serial)).to.equal(positions[0]);
		// Chosen together with one that waits, the one that is decided says so
		const both = await post(
			'/intake/rules?/approve',
			new URLSearchParams([
				['unit', first!],
				['unit', second!]
			]) as never
		).then(answerOf);
		expect(both.data).to.deep.include({ problem: '1 bound; not bound: Somebody has decided on it already.' });
		expect(await boundAt(labels[1]!.serial)).to.equal(positions[1]);
		expect(await declineProposal(third!, ACTOR)).to.include({ ok: true });
		expect(await declineProposal(third!, ACTOR)).to.include({ ok: false });
		expect(await boundAt(labels[2]!.serial)).to.equal(null);
	});

	it('lose what they proposed when it is bound otherwise', async () => {
		await ruled(true);
		await soonest(1);
		const label = newLabel();
		const { rows } = await takeIn(lineOf(label));
		const position = (await proposals(await customerId(customer))).find(
			({ serial }) => serial === label.serial
		)!.positionId;
		const other = await newUnit('gateway', customer);
		expect(await bindUnit(position, other.unitId, ACTOR)).to.include({ ok: true });
		expect(await approveProposals([rows[0]!.unitId!], ACTOR)).to.include({ ok: false });
		await unbindUnit(position, ACTOR);
	});

	it('are made by those who plan, for models that can fill the role', async () => {
		const id = await customerId(customer);
		const technician = await newPerson({ [customer]: 'technician' });
		const refused = await post(
			'/intake/rules?/save',
			{ customer: id, about: 'og-2 gateway', held: 'yes' },
			{},
			technician
		).then(answerOf);
		expect(refused.data).to.deep.include({
			problem: 'Rules are made by those who plan the customer’s sites.'
		});
		const nonsense = await saveRule(
			{ customerId: id, modelId: 'lf-6', roleId: 'gateway', held: true },
			ACTOR
		);
		expect(nonsense).to.deep.include({ ok: false, problem: 'A unit of this model cannot fill that role.' });
	});
});
