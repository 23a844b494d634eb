import { expect } from 'chai';
import { database, runAs } from '../../../src/lib/server/database';
import {
	endLinks,
	MOST_CARDS,
	printCards,
	printedReport,
	printLabels,
	progressAt
} from '../../../src/lib/server/paper';
import { wordsOn } from '../../pdf';
import { makeLinks } from '../../../src/lib/server/paper/progress';
import { record } from '../../../src/lib/server/runs';
import {
	ACTOR,
	address,
	boundUnit,
	customerId,
	get,
	newPerson,
	newUnit,
	openPosition,
	post,
	TEST_SITE,
	unwalled
} from '../making';

const siteAt = async (positionId: string): Promise<string> =>
	(await unwalled()('position').where({ id: positionId }).first('site_id')).site_id;
const done = <Done>(act: { ok: true; done: Done } | { ok: false; problem: string }): Done => {
	if (!act.ok) throw new Error(act.problem);
	return act.done;
};
/** An address of a site as its card has it. */
async function addressOf(siteId: string, now = Date.now()): Promise<string> {
	const site = { id: siteId, customerId: await customerId(), appointmentAt: null };
	return (await database().transaction((trx) => makeLinks(trx, [site], ACTOR, now)))[0]!.token;
}

describe('cards for people on site', () => {
	it('are one page each, in the customer’s name, with which cable goes where, lights, time and whom to call', async () => {
		const unit = await boundUnit();
		const other = await openPosition();
		const [site, second] = [await siteAt(unit.positionId), await siteAt(other)];
		await unwalled()('site')
			.where({ id: site })
			.update({ name: `${TEST_SITE} Ōtautahi Kererū ${unit.serial}`, street: '12 Ūpoko Road' });
		const pages = await wordsOn(done(await printCards([site, second], ACTOR, Date.now())));
		expect(pages).to.have.lengthOf(2);
		const card = pages.find((page) => page.includes('Kererū'))!;
		for (const words of [
			'Marlstone Veterinary',
			'Ōtautahi Kererū',
			'12 Ūpoko Road',
			'marked up0.',
			'All four bars lit: It works.',
			'up to 35 minutes',
			'Call'
		])
			expect(card, words).to.include(words.replaceAll(' ', ''));
		expect(pages.find((page) => page !== card)).to.include('Itspictureishere');
		expect(
			await unwalled()('ledger_entry').where({ act: 'make site card', subject_id: site })
		).to.have.lengthOf(1);
	});

	it('stay one page with many access points', async () => {
		const gateway = await openPosition();
		const site = await siteAt(gateway);
		for (let index = 0; index < 12; index++)
			await unwalled().raw(
				`insert into position (id, site_id, customer_id, name, role_id, profile_id)
				select gen_random_uuid(), site_id, position.customer_id, ?, profile.role_id, profile.id from position, profile
				where position.id = ? and profile.name = 'Indoor access point'`,
				[`ap-${index}`, gateway]
			);
		const pages = await wordsOn(done(await printCards([site], ACTOR, Date.now())));
		expect(pages).to.have.lengthOf(1);
		// The gateway has ports for three of them; the others go where there is a socket
		for (const words of ['Accesspoints,3', 'Accesspoints,9', 'ap-11']) expect(pages[0]).to.include(words);
	});

	it('are made by those who may bind there; none without a site, and not too many', async () => {
		const { positionId } = await boundUnit();
		const site = await siteAt(positionId);
		expect(await printCards([], ACTOR, 0)).to.include({ ok: false });
		expect(
			await printCards(
				Array.from({ length: MOST_CARDS + 1 }, () => site),
				ACTOR,
				0
			)
		).to.include({ ok: false });
		const auditor = await newPerson({ 'Marlstone Veterinary': 'auditor' });
		expect((await post('/sites/cards', { site }, {}, auditor)).status).to.equal(409);
		const technician = await newPerson({ 'Marlstone Veterinary': 'technician' });
		const printed = await post('/sites/cards', { site }, {}, technician);
		expect(printed.headers.get('content-type')).to.equal('application/pdf');
		expect((await wordsOn(new Uint8Array(await printed.arrayBuffer())))[0]).to.match(/\/progress\/[\w-]{24}/);
	});
});

describe('the address on a card', () => {
	const look = (token: string) =>
		fetch(address(`/progress/${token}`), { headers: { accept: 'text/html' }, redirect: 'manual' });

	it('shows that site’s progress in plain words to anybody, and nothing else', async () => {
		const unit = await boundUnit();
		const site = await siteAt(unit.positionId);
		const token = await addressOf(site);
		const page = await (await look(token)).text();
		expect(page).to.include('Plug it in').and.include('gw-1');
		for (const hidden of [unit.serial, unit.mac, '10.0.0', 'OG-2', 'hostname'])
			expect(page, hidden).to.not.include(hidden);
		await record({ runId: unit.runId, event: { kind: 'call', at: Date.now() }, words: '' });
		const now = await (await fetch(address(`/progress/${token}/now`))).json();
		expect(now.positions[0]).to.include({ short: 'It has found us', wantsYou: false });
		expect(await unwalled()('site_link').where({ site_id: site }).first('token_hash')).to.not.deep.equal(
			token
		);
	});

	it('ends by itself, and when somebody ends it', async () => {
		const { positionId } = await boundUnit();
		const site = await siteAt(positionId);
		const [old, good] = [await addressOf(site, Date.now() - 31 * 24 * 3_600_000), await addressOf(site)];
		expect((await look(old)).status).to.equal(404);
		expect((await look(good)).status).to.equal(200);
		expect(await endLinks(site, ACTOR)).to.include({ ok: true });
		expect((await look(good)).status).to.equal(404);
		expect(await endLinks(site, ACTOR)).to.include({ ok: false });
		expect((await look('x'.repeat(5000))).status).to.equal(404);
	});

	it('gives whoever holds it no way to ask the database for more', async () => {
		const { positionId } = await boundUnit();
		await addressOf(await siteAt(positionId));
		await runAs({ kind: 'nobody' }, async () => {
			expect(await progressAt('nothing')).to.equal(null);
			expect(await database()('site_link').count()).to.deep.equal([{ count: '0' }]);
		});
	});
});

describe('labels for the staging bench', () => {
	it('say position, site and serial number; where there is no position, that', async () => {
		const [bound, free, open] = [await boundUnit(), await newUnit(), await openPosition()];
		const pdf = done(await printLabels({ units: [bound.unitId, free.unitId], positions: [open] }, ACTOR));
		const [page, more] = await wordsOn(pdf);
		expect(more).to.equal(undefined);
		for (const words of [bound.serial, free.serial, 'Nopositionyet']) expect(page).to.include(words);
		expect(page!.match(/gw-1/g)).to.have.lengthOf(2);
	});

	it('fill sheet after sheet', async () => {
		const unit = await newUnit();
		const positions: string[] = [];
		for (let index = 0; index < 25; index++) positions.push(await openPosition());
		expect(
			await wordsOn(done(await printLabels({ units: [unit.unitId], positions }, ACTOR)))
		).to.have.lengthOf(2);
		expect(await printLabels({ units: [], positions: [] }, ACTOR)).to.include({ ok: false });
	});

	it('lead to the position when their code is scanned', async () => {
		const { positionId } = await boundUnit();
		const response = await get(`/sites/at/${positionId.replaceAll('-', '')}`);
		expect(response.headers.get('location')).to.equal(
			`/sites/${await siteAt(positionId)}?position=${positionId}`
		);
		expect((await get('/sites/at/nonsense')).status).to.equal(404);
	});
});

describe('a report', () => {
	it('is printed whatever of it is empty', async () => {
		const document = { customer: 'A customer', title: 'A report', subtitle: '', foot: 'Made now' };
		const pdf = await printedReport({
			...document,
			blocks: [
				{ kind: 'facts', title: 'Configurations', facts: [] },
				{ kind: 'table', title: 'Units', columns: ['Unit'], rows: [], otherwise: 'None.' },
				{ kind: 'text', title: 'Notes', lines: [] },
				{ kind: 'images', title: 'Photos', images: [] }
			]
		});
		expect(Buffer.from(pdf).subarray(0, 5).toString()).to.equal('%PDF-');
	});
});
