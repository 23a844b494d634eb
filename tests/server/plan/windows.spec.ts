import { expect } from 'chai';
import { v7 as uuid } from 'uuid';
import { NO_RULE, type WindowRule } from '../../../src/core/windows';
import { findingsOf } from '../../../src/lib/server/drift';
import { beginSend, lookBeforeSending, restartUnit } from '../../../src/lib/server/send';
import { rulesOf, saveWindowRule, windowNow } from '../../../src/lib/server/windows';
import { onChange } from '../dialling';
import { BECAUSE, behind, online, readAnew, stateOf, typed, untilLost, untilSend } from '../gateway';
import { ACTOR, answerOf, doneBy, get, newPerson, openPosition, post, unwalled } from '../making';
import { must, why } from '../profile/profile-making';

const siteOf = async (positionId: string) => {
	const { site_id: siteId, customer_id: customer } = await unwalled()('position')
		.where({ id: positionId })
		.first('site_id', 'customer_id');
	return { siteId: siteId as string, customerId: customer as string, patternId: null };
};
const rule = (given: Partial<WindowRule>): WindowRule => ({ ...NO_RULE, ...given });
const NEVER = rule({ hours: [] });
const ALWAYS = rule({ hours: [{ days: [1, 2, 3, 4, 5, 6, 7], from: '00:00', to: '00:00' }] });
/** A site of its own whose windows say so. */
async function state(positionId: string, given: WindowRule, edit = 0) {
	const owner = await siteOf(positionId);
	must(await saveWindowRule(owner, { rule: given, edit }, ACTOR));
	return owner;
}
const ledgerOf = (unitId: string, act: string): Promise<{ words: string } | undefined> =>
	unwalled()('ledger_entry').where({ subject_id: unitId, act }).orderBy('id', 'desc').first('words');

describe('windows', () => {
	it('are stated by those who plan sites, further in before further out', async () => {
		const owner = await siteOf(await openPosition('gateway', 'Southfold Physio'));
		const customer = { customerId: owner.customerId, siteId: null, patternId: null };
		const technician = await newPerson({ 'Southfold Physio': 'technician' });
		expect(
			why(await doneBy(technician, (actor) => saveWindowRule(customer, { rule: NEVER, edit: 0 }, actor)))
		).to.match(/may not change/);
		const before = await rulesOf(customer);
		try {
			must(await saveWindowRule(customer, { rule: NEVER, edit: before.edit }, ACTOR));
			expect((await windowNow(owner.siteId, Date.now())).isOpen).to.equal(false);
			must(await saveWindowRule(owner, { rule: ALWAYS, edit: 0 }, ACTOR));
			expect((await windowNow(owner.siteId, Date.now())).isOpen).to.equal(true);
			const { own, further } = await rulesOf(owner);
			expect(own).to.deep.equal(ALWAYS);
			expect(further).to.deep.equal([{ of: 'customer', name: 'Southfold Physio', rule: NEVER }]);
			// A pattern lies between the two
			const patternId = uuid();
			await unwalled()('site_pattern').insert({
				id: patternId,
				customer_id: owner.customerId,
				name: `Windows ${patternId}`
			});
			await unwalled()('site').where({ id: owner.siteId }).update({ pattern_id: patternId });
			const pattern = { ...customer, patternId };
			must(await saveWindowRule(pattern, { rule: NEVER, edit: 0 }, ACTOR));
			expect((await windowNow(owner.siteId, Date.now())).isOpen).to.equal(true);
			// Somebody else wrote meanwhile
			expect(why(await saveWindowRule(owner, { rule: NEVER, edit: 0 }, ACTOR))).to.match(/Somebody else/);
		} finally {
			must(await saveWindowRule(customer, { rule: before.own, edit: before.edit + 1 }, ACTOR));
		}
	});

	it('hold back what interrupts a site, unless somebody says why it is done now', async () => {
		const gateway = await behind();
		const { unitId, positionId } = gateway.unit;
		await state(positionId, NEVER);
		expect(why(await restartUnit(unitId, false, ACTOR))).to.match(/No window is open at this site/);
		const { readingId: reading, fingerprint } = must(await lookBeforeSending(unitId, true));
		const sending = { reading, fingerprint, discards: false, asked: false };
		expect(why(await beginSend(unitId, sending, ACTOR))).to.match(/No window is open.*none is to come/);
		expect(await stateOf(unitId)).to.equal(undefined);
		must(await beginSend(unitId, sending, BECAUSE()));
		expect((await ledgerOf(unitId, 'send'))!.words).to.match(/Outside its windows/);
		await untilSend(unitId, 'committed');
		await gateway.dial();
		await untilSend(unitId, 'confirmed');
		await gateway.call!.end();
	});

	it('have the contact asked first, where that is stated', async () => {
		const gateway = await online();
		const { unitId, positionId } = gateway.unit;
		const { siteId } = await state(positionId, rule({ asksFirst: true }));
		await unwalled()('site').where({ id: siteId }).update({ contact: 'Jo Hart' });
		expect(why(await restartUnit(unitId, false, BECAUSE()))).to.match(/Jo Hart is asked first/);
		must(await restartUnit(unitId, true, BECAUSE()));
		expect((await ledgerOf(unitId, 'restart unit'))!.words).to.match(/Jo Hart was asked/);
		await untilLost(unitId);
	});

	it('leave a site out of what is put right at many, while none is open there', async () => {
		const [one, other] = [await online(), await online()];
		const word = `note-${one.unit.serial.toLowerCase()}`;
		for (const gateway of [one, other]) {
			typed(gateway, (text) => `${text}${word} on;\n`);
			await readAnew(gateway);
		}
		await state(one.unit.positionId, NEVER);
		const findings = [...(await findingsOf(one.unit.unitId)), ...(await findingsOf(other.unit.unitId))];
		const engineer = await newPerson({ 'Marlstone Veterinary': 'engineer' });
		const right = (fields: readonly (readonly [string, string])[]) => {
			const form = new FormData();
			for (const [name, value] of fields) form.append(name, value);
			return post(`/upkeep/findings/${findings[0]!.id}?/right`, form, {}, engineer).then(answerOf);
		};
		const asked = await right(findings.map(({ id }) => ['finding', id]));
		const { fields } = asked.data!.confirm as { fields: Record<string, string | string[]> };
		// The question gives back all that was chosen, however many
		const again = Object.entries(fields).flatMap(([name, value]) => [value].flat().map((one) => [name, one] as const));
		expect(again.filter(([name]) => name === 'finding')).to.have.lengthOf(findings.length);
		expect((await right([...again, ['reason', 'for a test']])).type).to.equal('success');
		const work = await unwalled()('long_work').where({ person_id: engineer.id }).first();
		const items = () =>
			unwalled()('long_work_item').where({ work_id: work.id }).whereNot({ state: 'waiting' });
		await onChange(['work', 'sends'], async () => (await items()).length === 2);
		const refused = (await items()).filter(({ state }) => state === 'failed');
		expect(refused.map(({ words }) => words)).to.have.lengthOf(1);
		expect(refused[0].words).to.match(/No window is open/);
		expect(await stateOf(one.unit.unitId)).to.equal(undefined);
		await untilSend(other.unit.unitId, 'committed');
		await other.dial();
		await untilSend(other.unit.unitId, 'confirmed');
	});

	it('are seen together, of one’s own customers, with what states others', async () => {
		const technician = await newPerson({ 'Southfold Physio': 'technician' });
		const { siteId } = await state(await openPosition('gateway', 'Southfold Physio'), NEVER);
		await unwalled()('site').where({ id: siteId }).update({ name: 'AA of its own' });
		await state(await openPosition(), NEVER);
		const page = await (await get('/upkeep/windows', technician)).text();
		expect(page).to.contain('At any time').and.contain(`?site=${siteId}`).and.contain('AA of its own');
		expect(page).to.contain('Southfold Physio').and.not.contain('Marlstone');
	});

	it('take holidays from a calendar file', async () => {
		const engineer = await newPerson({ 'Marlstone Veterinary': 'engineer' });
		const year = new Date().getUTCFullYear() + 1;
		const read = async (calendar: string) => {
			const { siteId } = await siteOf(await openPosition());
			const form = new FormData();
			form.set('rule', JSON.stringify(NO_RULE));
			form.set('edit', '0');
			form.set('calendar', new File([calendar], 'holidays.ics', { type: 'text/calendar' }));
			return answerOf(await post(`/upkeep/windows?site=${siteId}&/holidays`, form, {}, engineer));
		};
		const event = `BEGIN:VEVENT\r\nUID:1\r\nDTSTART;VALUE=DATE:${year}0206\r\nSUMMARY:Waitangi Day\r\nEND:VEVENT`;
		const good = await read(`BEGIN:VCALENDAR\r\nVERSION:2.0\r\n${event}\r\nEND:VCALENDAR\r\n`);
		expect(good.data?.rule).to.deep.include({ without: [{ day: `${year}-02-06`, words: 'Waitangi Day' }] });
		expect((await read('PK\u0003\u0004')).data?.problem).to.match(/no calendar/);
	});
});
