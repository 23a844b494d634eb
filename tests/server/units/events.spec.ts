import { createSocket } from 'node:dgram';
import { once } from 'node:events';
import { connect } from 'node:net';
import { connect as connectTls } from 'node:tls';
import { expect } from 'chai';
import { alerts, endOfThoseAway, seeAlerts } from '../../../src/lib/server/alerts';
import { versionsOf } from '../../../src/lib/server/archive';
import { unbindUnit } from '../../../src/lib/server/binding';
import { BOOTSTRAP, runAs } from '../../../src/lib/server/database';
import { findingsOf } from '../../../src/lib/server/drift';
import { events } from '../../../src/lib/server/events';
import { currentSettings } from '../../../src/lib/server/settings';
import { SAYINGS } from '../../../standins/units/events';
import { onChange } from '../dialling';
import { BECAUSE, online, readAnew, send, typed, untilSend, type Gateway } from '../gateway';
import { ACTOR, customerId, doneBy, get, newPerson, unwalled } from '../making';
import { why, must } from '../profile/profile-making';

const { LIMEN_EVENTS_PORT: PORT, LIMEN_EVENTS_TLS_PORT: TLS_PORT } = currentSettings();

/** What the gateway calls itself. */
const nameOf = (gateway: Gateway): string => /\bname ([^;\s]+);/.exec(gateway.runs)![1]!;
const said = (gateway: Gateway, words: string): string =>
	`<189>1 2026-11-27T12:00:00Z ${nameOf(gateway)} test 1 T - ${words}`;
async function over(way: 'udp' | 'tcp' | 'tls', text: string): Promise<void> {
	if (way === 'udp') {
		const socket = createSocket('udp4');
		await new Promise((resolve) => socket.send(text, PORT, '127.0.0.1', resolve));
		socket.close();
		return;
	}
	const framed = `${Buffer.byteLength(text)} ${text}`;
	const socket =
		way === 'tcp'
			? connect(PORT, '127.0.0.1')
			: connectTls({ port: TLS_PORT, host: '127.0.0.1', rejectUnauthorized: false });
	socket.end(framed);
	await once(socket, 'close');
}
/** What it said itself, the latest first; beside it stands what Limen says of it. */
const kept = async ({ unit }: Gateway) =>
	(await events({ unitId: unit.unitId })).filter(({ form }) => form !== 'limen');
const untilKept = (gateway: Gateway, count = 1) =>
	onChange(['events'], async () => (await kept(gateway)).length >= count);
/** How many were counted, by the application's own figures. */
async function strangers(): Promise<number> {
	const figures = await (
		await fetch(`http://127.0.0.1:${currentSettings().LIMEN_METRICS_PORT}/metrics`)
	).text();
	return Number(/limen_events\{became="from a stranger"\} (\d+)/.exec(figures)?.[1] ?? 0);
}
/** An online gateway of which the name is known. */
async function named(): Promise<Gateway> {
	const gateway = await online();
	await readAnew(gateway);
	return gateway;
}

describe('events', () => {
	for (const way of ['udp', 'tcp', 'tls'] as const)
		it(`are kept when they come over ${way}, of the unit whose name they bear`, async () => {
			const [gateway, other] = [await named(), await named()];
			await over(way, said(gateway, `the fan over ${way} is loud, secret "hush hush"`));
			await untilKept(gateway);
			const [event] = await kept(gateway);
			expect(event).to.deep.include({ severity: 5, app: 'test', form: 'rfc5424', isChange: false });
			expect(event!.words).to.include(`over ${way} is loud`).and.not.include('hush');
			expect(event!.saidAt!.toISOString()).to.equal('2026-11-27T12:00:00.000Z');
			expect(await kept(other)).to.deep.equal([]);
			const stranger = await newPerson({ 'Pippin & Loaf': 'engineer' });
			expect(await doneBy(stranger, () => kept(gateway))).to.deep.equal([]);
		});

	it('come through although silent strangers hold all connections that there are', async () => {
		const gateway = await named();
		const silent = Array.from({ length: 2_050 }, (_, at) =>
			connect({ port: PORT, host: '127.0.0.1', localAddress: `127.0.5.${1 + Math.floor(at / 190)}` })
		);
		for (const socket of silent) socket.on('error', () => socket.destroy());
		await Promise.all(silent.map((socket) => once(socket, 'connect')));
		await over('tcp', said(gateway, 'is still heard'));
		await untilKept(gateway);
		for (const socket of silent) socket.destroy();
	});

	it('of a stranger are counted and not kept, and what is hostile stops nothing', async () => {
		// Of two at one address it is the name that tells them apart; whoever is there alone is taken by the address
		const [gateway] = [await named(), await named()];
		const before = await strangers();
		await over('udp', '<13>1 - nobody-at-all - - - - knock');
		await over('udp', '\u0000\u0001'.repeat(500));
		await over('tcp', '9'.repeat(5_000));
		const socket = connect(PORT, '127.0.0.1');
		socket.write('500 never ends');
		socket.resetAndDestroy();
		await over('udp', said(gateway, 'still heard'));
		await untilKept(gateway);
		expect(await strangers()).to.be.greaterThan(before + 1);
	});

	it('are found by parts of words, by severity, unit, site and time, and never past a wall', async () => {
		const [gateway, other] = [await named(), await named()];
		for (const [whose, words, count] of [
			[gateway, 'xe-0/0/1 changed: 100%_done, link DOWN', 1],
			[gateway, 'xe-0/0/2 changed: link up', 2],
			[other, 'xe-0/0/1 changed: link down', 1]
		] as const) {
			await over('udp', said(whose, words));
			await untilKept(whose, count);
		}
		const engineer = await newPerson({ 'Marlstone Veterinary': 'engineer' });
		const stranger = await newPerson({ 'Pippin & Loaf': 'engineer' });
		const units = [gateway.unit.unitId, other.unit.unitId];
		const find = async (wanted: Parameters<typeof events>[0], as = engineer) =>
			(await doneBy(as, () => events(wanted)))
				.filter(({ unitId, form }) => units.includes(unitId) && form !== 'limen')
				.map(({ words }) => words);
		expect(await find({ text: 'down  CHANGED' })).to.deep.equal([
			'xe-0/0/1 changed: link down',
			'xe-0/0/1 changed: 100%_done, link DOWN'
		]);
		expect(await find({ text: '0%_d' })).to.deep.equal(['xe-0/0/1 changed: 100%_done, link DOWN']);
		expect(await find({ text: '0%d' })).to.deep.equal([]);
		expect(await find({ text: `test: xe'` })).to.deep.equal([]);
		expect(await find({ text: 'test: xe', unitId: units[0]! })).to.have.length(2);
		expect(await find({ text: 'changed', severity: 4 })).to.deep.equal([]);
		expect(await find({ text: 'changed' }, stranger)).to.deep.equal([]);
		expect(await find({ text: 'changed', customers: [await customerId('Pippin & Loaf')] })).to.deep.equal([]);
		const siteOf = async ({ unit }: Gateway): Promise<string> =>
			(await unwalled()('position').where({ id: unit.positionId }).first('site_id')).site_id;
		const here = (await siteOf(gateway)) === (await siteOf(other)) ? 3 : 2;
		for (const text of ['', 'link'])
			expect(await find({ text, siteId: await siteOf(gateway) }), text).to.have.length(here);
		const hence = (minutes: number) => new Date(Date.now() + minutes * 60_000);
		for (const text of ['', 'link']) {
			expect(await find({ text, since: hence(-5), until: hence(5) }), text).to.have.length(3);
			expect(await find({ text, since: hence(5) }), text).to.deep.equal([]);
			expect(await find({ text, until: hence(-5) }), text).to.deep.equal([]);
		}
	});

	it('are bounded of one unit, beside which another is heard; how many were left out is told', async () => {
		const [loud, quiet] = [await named(), await named()];
		const flood = Array.from({ length: 400 }, (_, at) => {
			const text = said(loud, `loud ${at}`);
			return `${text.length} ${text}`;
		}).join('');
		const socket = connect(PORT, '127.0.0.1');
		socket.end(flood);
		await once(socket, 'close');
		await over('udp', said(quiet, 'a word'));
		await untilKept(quiet);
		const all = await unwalled()('event').where({ unit_id: loud.unit.unitId });
		expect(all.length).to.be.within(90, 120);
		const told = all.filter(({ form }) => form === 'limen');
		expect(told.map(({ words }) => words).join(' ')).to.match(/more came than are kept/);
	});

	it('are not lost where the database refuses them once', async () => {
		const gateway = await named();
		await unwalled().raw(`
			create sequence tries;
			create function refuse_once() returns trigger security definer language plpgsql as
				$$begin if nextval('tries') = 1 then raise exception 'Not now.'; end if; return new; end$$;
			create trigger refuses before insert on event for each row when (new.words like '%patience%') execute function refuse_once()`);
		try {
			await over('udp', said(gateway, 'a word that has patience'));
			await untilKept(gateway);
			const { rows } = await unwalled().raw('select last_value::int as tries from tries');
			expect(rows).to.deep.equal([{ tries: 2 }]);
			expect(await kept(gateway)).to.have.length(1);
		} finally {
			await unwalled().raw('drop trigger refuses on event; drop function refuse_once(); drop sequence tries');
		}
	});

	it('that say it was configured have it read, and the difference has a name, an alert and a letter', async () => {
		const gateway = await named();
		const { unitId, serial } = gateway.unit;
		typed(gateway, (text) => `${text}night-note on;\n`);
		const message = SAYINGS.okapira!.message(
			nameOf(gateway),
			{ what: 'configured', by: 'night-shift' },
			new Date()
		);
		await over('udp', message);
		await onChange(['drift', 'archive'], async () => (await findingsOf(unitId))[0]?.byWhom === 'night-shift');
		expect((await kept(gateway))[0]).to.deep.include({
			form: 'rfc3164',
			isChange: true,
			byWhom: 'night-shift'
		});
		expect((await versionsOf(unitId))[0]).to.deep.include({ how: 'outside', byWhom: 'night-shift' });
		const mine = (more = {}) => alerts(null, { unitId, ...more });
		expect((await mine({ unseen: true })).map(({ kind, words }) => [kind, words])).to.deep.equal([
			[
				'changed outside',
				'Somebody, night-shift, configured it past Limen: it differs in 1 place from what it should run.'
			]
		]);
		// A burst is one
		typed(gateway, (text) => `${text}night-note-2 on;\n`);
		await readAnew(gateway);
		const [alert, ...more] = await mine();
		expect(more).to.deep.equal([]);
		expect(alert!.times).to.equal(2);
		const technician = await newPerson({ 'Marlstone Veterinary': 'technician' });
		const auditor = await newPerson({ 'Marlstone Veterinary': 'auditor' });
		expect(why(await doneBy(auditor, (actor) => seeAlerts([alert!.id], actor)))).to.match(/may not/);
		must(await doneBy(technician, (actor) => seeAlerts([alert!.id], actor)));
		expect(await mine({ unseen: true })).to.deep.equal([]);
		expect(why(await seeAlerts([alert!.id], BECAUSE()))).to.match(/already/);
		// What changes again is to be seen again
		typed(gateway, (text) => `${text}night-note-3 on;\n`);
		await readAnew(gateway);
		expect(await mine({ unseen: true })).to.have.lengthOf(1);
		const page = await (await get(`/upkeep/events?unit=${unitId}`)).text();
		expect(page).to.include('night-shift').and.include(serial.slice(-4));
		await send(gateway, false, { kind: 'intended' });
		await untilSend(unitId, 'committed');
		await gateway.dial();
		await untilSend(unitId, 'confirmed');
		await onChange(['alerts'], async () => (await mine())[0]!.endedAt !== null);
	});

	it('give a change its name also where it was read before the unit said whose it was @long', async () => {
		const gateway = await named();
		const { unitId } = gateway.unit;
		typed(gateway, (text) => `${text}night-note on;\n`);
		await readAnew(gateway);
		expect((await findingsOf(unitId))[0]).to.deep.include({ byWhom: '' });
		await over(
			'udp',
			SAYINGS.okapira!.message(nameOf(gateway), { what: 'configured', by: 'late-sayer' }, new Date())
		);
		await onChange(['drift', 'archive'], async () => (await findingsOf(unitId))[0]?.byWhom === 'late-sayer');
		expect((await versionsOf(unitId))[0]).to.deep.include({ byWhom: 'late-sayer' });
		const [alert] = await alerts(null, { unitId });
		expect(alert!.words).to.include('late-sayer');
		expect(alert!.times).to.equal(1);
		// It goes on while the unit is at its place, and no longer
		await runAs(BOOTSTRAP, endOfThoseAway);
		expect((await alerts(null, { unitId }))[0]!.endedAt).to.equal(null);
		must(await unbindUnit(gateway.unit.positionId, ACTOR));
		await runAs(BOOTSTRAP, endOfThoseAway);
		expect((await alerts(null, { unitId }))[0]!.endedAt).to.be.an.instanceOf(Date);
	});
});
