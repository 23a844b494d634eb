import { generateKeyPairSync } from 'node:crypto';
import { readdirSync, readFileSync } from 'node:fs';
import { expect } from 'chai';
import { readPack } from '../../../src/core/pack';
import { bindUnit } from '../../../src/lib/server/binding';
import { runAs } from '../../../src/lib/server/database';
import { claimBatch } from '../../../src/lib/server/intake';
import {
	connectedUnit,
	currentPack,
	loadPack,
	packJsonSchema,
	packsOf,
	packText,
	tryPackOut
} from '../../../src/lib/server/packs';
import { createPart, createProfile, releasePart, releaseProfile } from '../../../src/lib/server/profile';
import { tryUnit } from '../../../src/lib/server/proof';
import { lookBeforeSending, beginSend } from '../../../src/lib/server/send';
import { currentSettings } from '../../../src/lib/server/settings';
import { FENNICK_PACK, Fennick, fennickPack } from '../../fennick';
import { onChange } from '../dialling';
import {
	ACTOR,
	anAdministrator,
	answerOf,
	boundUnit,
	customerId,
	doneBy,
	get,
	newPerson,
	post,
	runOf,
	TEST_SITE,
	unwalled
} from '../making';
import { EMPTY, field, fresh, must, why } from './profile-making';

const MAREN = { name: 'Maren Aldous', address: null, may: () => true };
const file = (name: string) =>
	readFileSync(new URL(`../../../demo/packs/${name}.json`, import.meta.url), 'utf8');
/** A pack of a maker that only this test has; `change` is made in its text. */
let made = 0;
function ownPack(change: (text: string) => string = (text) => text): string {
	const id = `maker${process.pid}x${++made}`;
	return change(
		FENNICK_PACK.replaceAll('fennick', id)
			.replace('"Fennick"', `"${id}"`)
			.replace('"fn-10"', `"${id}-m"`)
			.replace('"FN-10"', `"${id} M"`)
	);
}

describe('a maker’s pack', () => {
	it('becomes its maker, its models and their grammars, and is given back to the letter', async () => {
		const text = ownPack();
		const { id, pack } = must(await loadPack(text, MAREN));
		const model = await unwalled()('model').where({ maker_id: pack.maker.id }).first();
		expect(model).to.include({ dialect: 'set', talk: 'command-line', serial_template: 'FNdddddddd' });
		expect(model.dialect_rules.volatile).to.deep.equal([['system', 'clock-drift *']]);
		expect(await unwalled()('grammar').where({ id: model.grammar_id }).first()).to.be.an('object');
		expect((await packText(id))!.text).to.equal(text);
		const page = await get(`/profiles/makers/packs/${id}`);
		expect(await page.text()).to.equal(text);
		expect((await currentPack(pack.maker.id))!.version).to.equal('1');
		const entry = await unwalled()('ledger_entry').where({ subject_id: id, act: 'load pack' }).first();
		expect(entry.words).to.include('is in use, with 1 model');
	});

	it('names who signs its images, with keys that can', async () => {
		const tried = async (signers: readonly string[], signed: boolean) => {
			const text = JSON.parse(ownPack()) as { firmware: Record<string, object> };
			for (const line of Object.values(text.firmware)) Object.assign(line, { signers, signed });
			return tryPackOut(JSON.stringify(text), MAREN);
		};
		const key = (type: 'rsa' | 'ed25519', modulusLength = 2048) =>
			generateKeyPairSync(type as 'rsa', { modulusLength })
				.publicKey.export({ type: 'spki', format: 'pem' })
				.toString();
		expect((await tried([key('rsa')], true)).ok).to.equal(true);
		expect(why(await tried([], true))).to.match(/Nobody signs its images/);
		expect(why(await tried(['no key'], false))).to.match(/no public key in PEM/);
		expect(why(await tried([key('rsa', 1024)], false))).to.match(/at least 2048 bits/);
		expect(why(await tried([key('ed25519')], false))).to.match(/RSA or an elliptic curve/);
	});

	it('is compared with the one in use before it takes its place; both versions are kept', async () => {
		const text = ownPack();
		const { pack } = must(await loadPack(text, MAREN));
		const next = text.replace('"version": "1"', '"version": "2"').replace('"quiet": 120', '"quiet": 300');
		const tried = await tryPackOut(next, MAREN);
		expect(tried.ok && tried.done).to.deep.include({ before: '1', version: '2' });
		expect(tried.ok && tried.done.changes).to.deep.equal([
			{
				kind: 'changed',
				thing: `the model “${pack.models[0]!.name}”`,
				place: 'quiet',
				before: '120',
				after: '300'
			}
		]);
		must(await loadPack(next, MAREN));
		expect(
			(await packsOf(pack.maker.id)).map(({ version, isCurrent }) => [version, isCurrent])
		).to.deep.equal([
			['2', true],
			['1', false]
		]);
		const { rows } = await unwalled().raw(
			'select extract(epoch from quiet_normal)::int as s from model where maker_id = ?',
			[pack.maker.id]
		);
		expect(rows).to.deep.equal([{ s: 300 }]);
		// The one before can be taken into use again
		must(await loadPack(text, MAREN));
		expect((await currentPack(pack.maker.id))!.version).to.equal('1');
		expect(why(await loadPack(text, MAREN))).to.match(/is the one in use/);
	});

	it('is refused, in words, when it cannot take its place, and nothing has changed', async () => {
		const text = ownPack();
		const { pack } = must(await loadPack(text, MAREN));
		const count = async () => (await unwalled()('pack').count())[0]!.count;
		const before = await count();
		for (const [given, words] of [
			['{', /line 1: This is no JSON/],
			[text.replace('"quiet": 120', '"quiet": 121'), /a version 1 already, with another text/],
			[ownPack((one) => one.replace(/"maker\d+x\d+-m"/, '"og-2"')), /another maker’s: OG-2/],
			[
				ownPack((one) => one.replaceAll(/maker\d+x\d+-os/g, 'okapira-og')),
				/firmware lines are another maker’s: okapira-og/
			],
			[ownPack((one) => one.replace('["router"]', '["lighthouse"]')), /does not know these roles: lighthouse/]
		] as const)
			expect(why(await loadPack(given, MAREN)), String(words)).to.match(words);
		expect(await count()).to.equal(before);
		expect((await currentPack(pack.maker.id))!.models[0]!.quiet).to.equal(120);
		// Of a model that there are units of, none can be left out
		await boundUnit();
		const without = JSON.parse(file('okapira')) as { version: string; models: { id: string }[] };
		without.version = 'without';
		without.models = without.models.filter(({ id }) => id !== 'og-2');
		expect(why(await loadPack(JSON.stringify(without), MAREN))).to.match(
			/units of models that this pack leaves out: OG-2/
		);
	});

	it('is loaded by engineers of all whose units it concerns, and by nobody else', async () => {
		await boundUnit();
		const text = file('okapira').replace('"version": "2"', '"version": "7"');
		const engineer = await newPerson({ 'Southfold Physio': 'engineer' });
		expect(why(await doneBy(engineer, (actor) => loadPack(text, actor)))).to.match(/not an engineer for/);
		const coordinator = await newPerson({ 'Southfold Physio': 'coordinator' });
		for (const path of ['compare', 'load', 'try'])
			expect((await post(`/profiles/makers/load?/${path}`, { pack: text }, {}, coordinator)).status).to.equal(
				403
			);
		expect((await get('/profiles/makers/load', coordinator)).status).to.equal(403);
		expect((await get('/profiles/makers', coordinator)).status).to.equal(200);
	});

	it('has a published form that says the same as the one it is read by', async () => {
		const page = await get('/profiles/makers/schema');
		expect(page.headers.get('content-type')).to.include('schema+json');
		const text = await page.text();
		expect(text).to.equal(packJsonSchema());
		expect(readFileSync(new URL('../../../docs/pack.schema.json', import.meta.url), 'utf8')).to.equal(text);
		for (const name of ['okapira', 'veltrane', 'lumenfold'])
			expect(readPack(file(name)).ok, name).to.equal(true);
	});

	it('is told by line what is wrong with it, and what it reads out of a paste', async () => {
		const person = await anAdministrator();
		const text = ownPack();
		const compared = await post(
			'/profiles/makers/load?/compare',
			{ pack: text.replace('{host}', '{hots}') },
			{},
			person
		).then(answerOf);
		expect(compared.data!.faults).to.deep.equal([
			{
				line: text.split('\n').findIndex((line) => line.includes('{host}')) + 1,
				place: 'talks.command-line.asks.reach.say.0',
				message: '“{hots}” stands for nothing here.'
			}
		]);
		const model = /"id": "(maker\d+x\d+-m)"/.exec(text)![1]!;
		const tried = async (ask: string, printed: string) =>
			(
				await post('/profiles/makers/load?/try', { pack: text, model, ask, printed }, {}, person).then(
					answerOf
				)
			).data!.trial;
		expect(await tried('version', 'Software:  3.4.1 (built 2026-01-12)\r\n')).to.deep.include({
			rows: [{ version: '3.4.1' }]
		});
		expect(await tried('neighbours', 'lan0   02:5a:1f:00:00:07   eth0        ap-lobby')).to.deep.include({
			names: ['port', 'chassis', 'neighbour_port', 'name']
		});
		expect(
			await tried('configuration', 'set system name a\nset system clock-drift 0.3\nset dance now\n')
		).to.deep.include({
			configuration: 'set system name a\nset dance now\n',
			leftOut: 1,
			strange: [{ line: 3, message: 'This model does not know the word “dance”.' }]
		});
		expect(await tried('version', '% no')).to.deep.include({ ok: false });
	});
});

/** A part's text for the FN-10. */
const TEXT = `set system name {{ hostname }}
set system name-server 192.0.2.53
set system time-server time.sallowfield.example
set port {{ port.uplink }} address automatic
set home host {{ limen.call_home_host }}
set home port {{ limen.call_home_port }}
set user limen key {{ limen.public_key | quoted }}
set system note "is it so?"
`;

describe('a device that Limen never saw', () => {
	let profileId: string;
	before(async () => {
		const impatient = fennickPack((text) => text.replace('"prepare"', '"patience": 1, "prepare"'));
		must(await loadPack(impatient, MAREN));
		const part = must(
			await createPart(
				{ name: fresh('Part'), summary: '', texts: { set: TEXT }, fields: [field('hostname')] },
				ACTOR
			)
		);
		must(await releasePart(part.id, 1, 'for a test', ACTOR));
		const { rows } = await unwalled().raw('select id from part_revision where part_id = ?', [part.id]);
		const checks = [
			{
				name: 'The name server answers',
				asks: { set: { command: 'ping 192.0.2.53 count 3', expects: 'words' as const, words: '3 received' } }
			}
		];
		profileId = must(
			await createProfile(
				{ name: fresh('Profile'), role: 'router', draft: { ...EMPTY, parts: [rows[0].id], checks } },
				ACTOR
			)
		).id;
		must(await releaseProfile(profileId, 1, 'for a test', false, ACTOR));
	});

	/** An FN-10 that is bound to a position of its own and has its configuration. */
	async function fennick(): Promise<{ device: Fennick; runId: string; unitId: string }> {
		const device = new Fennick(
			`FN${String(process.pid % 1000).padStart(3, '0')}${String(++made).padStart(5, '0')}`,
			`CODE${made}0000`
		);
		const line = `${device.serial},02:0f:0e:00:00:${made.toString(16).padStart(2, '0')},${device.claimCode}`;
		const claimed = must(await claimBatch(await customerId(), line, ACTOR));
		const unitId = claimed.rows[0]!.unitId!;
		const { rows } = await unwalled().raw(
			`with made as (insert into site (id, customer_id, name, time_zone, uplink) select gen_random_uuid(), id, ?, 'Pacific/Auckland', 'fibre' from customer where name = 'Marlstone Veterinary' returning id, customer_id)
			insert into position (id, site_id, customer_id, name, role_id, profile_id, values)
			select gen_random_uuid(), made.id, customer_id, 'rt-1', 'router', ?, ?::jsonb from made returning id`,
			[fresh(`${TEST_SITE} Fennick`), profileId, JSON.stringify({ hostname: `fn-${made}` })]
		);
		const { runId } = must(await bindUnit(rows[0].id, unitId, ACTOR));
		await device.bootstrap(`https://127.0.0.1:${currentSettings().LIMEN_BOOTSTRAP_PORT}`);
		return { device, runId, unitId };
	}
	const untilEnded = (runId: string) =>
		onChange(['runs'], async () => (await runOf(runId)).outcome !== 'open');

	it('comes online through its command line, and is asked what its pack can ask', async () => {
		const { device, runId, unitId } = await fennick();
		device.loud = true;
		device.message = '%PORT-5: lan0 is up';
		const call = device.dialHome();
		await untilEnded(runId);
		const { outcome, failure_words } = await runOf(runId);
		expect(failure_words, device.typed.join(' | ')).to.equal(null);
		expect(outcome).to.equal('through');
		expect(device.typed.slice(0, 3)).to.deep.equal(['admin', 'terminal pages off', 'show system']);
		const person = await anAdministrator();
		const asked = (asking: Parameters<typeof tryUnit>[1]) =>
			runAs({ kind: 'person', personId: person.id }, async () =>
				must(await tryUnit((await connectedUnit('fennick', unitId))!, asking))
			);
		expect((await asked({ ask: 'neighbours', host: '' })).trial).to.deep.include({
			rows: [{ port: 'lan0', chassis: '02:5a:1f:00:00:07', neighbour_port: 'eth0', name: 'ap-lobby' }]
		});
		expect((await asked({ ask: 'reach', host: '192.0.2.53' })).trial).to.deep.include({
			rows: [{ sent: '3', received: '3', milliseconds: '1.2' }]
		});
		const unable = await runAs({ kind: 'person', personId: person.id }, async () =>
			tryUnit((await connectedUnit('fennick', unitId))!, { ask: 'path', host: '192.0.2.1' })
		);
		expect(JSON.stringify(unable)).to.include('cannot be asked which way its packets take');
		// An errand is over before the next begins
		expect(device.typed.filter((line) => line === 'quit')).to.have.length.at.least(2);
		device.unplug();
		await call;
	});

	it('is sent what it should run line by line, and confirms it over its next connection', async () => {
		const { device, runId, unitId } = await fennick();
		const first = device.dialHome();
		await untilEnded(runId);
		const { position_id: id } = await unwalled()('binding').where({ unit_id: unitId }).first();
		await unwalled()('position')
			.where({ id })
			.update({ values: JSON.stringify({ hostname: 'fn-renamed' }) });
		const stateIs = (state: string) =>
			onChange(
				['sends'],
				async () => (await unwalled()('send').where({ unit_id: unitId }).first())?.state === state
			);
		const look = must(await lookBeforeSending(unitId, true));
		expect(look.isSame).to.equal(false);
		const sending = { reading: look.readingId, fingerprint: look.fingerprint, discards: false, asked: false };
		must(await beginSend(unitId, sending, ACTOR));
		// It is hung up on, and has to dial anew
		await Promise.all([first, stateIs('committed')]);
		expect(device.configuration).to.include('set system name fn-renamed').and.include('is it so?');
		expect(device.before).to.be.a('string');
		const second = device.dialHome();
		await stateIs('confirmed');
		expect(device.before).to.equal(null);
		expect(device.typed).to.include.members(['change', 'clear', 'apply for 60 seconds', 'keep']);
		device.unplug();
		await second;
	});

	for (const [fault, words] of [
		['mute', /its first prompt was not answered within 1 s/],
		['asks', /It waits at “Erase the old logs as well\? \(yes\/no\)”/],
		['endless', /It printed more than 1 MB/],
		['hangs up', /The command line was closed/]
	] as const)
		it(`that goes wrong (${fault}) is told so, and stalls nobody`, async () => {
			const { device, runId } = await fennick();
			device.fault = fault;
			const call = device.dialHome();
			await untilEnded(runId);
			expect((await runOf(runId)).failure_words).to.match(words);
			device.unplug();
			await call;
		});

	it('that is not what it should be is told so in its own words', async () => {
		const { device, runId } = await fennick();
		device.configuration = device.configuration.replace('address automatic', 'address 10.9.9.9/24');
		const call = device.dialHome();
		await untilEnded(runId);
		expect((await runOf(runId)).failure_words).to.include(
			'“address 10.9.9.9/24” should be “address automatic”'
		);
		device.unplug();
		await call;
	});
});

describe('makers in the code', () => {
	it('are named nowhere: neither in the application nor in its start command', () => {
		const makers = readdirSync(new URL('../../../demo/packs/', import.meta.url)).map((name) =>
			name.replace('.json', '')
		);
		expect(makers).to.include.members(['veltrane', 'okapira', 'lumenfold']);
		const named = new RegExp(makers.join('|'), 'i');
		const files = ['src', 'command', 'migrations'].flatMap((folder) =>
			(readdirSync(new URL(`../../../${folder}/`, import.meta.url), { recursive: true }) as string[])
				.filter((name) => /\.(ts|svelte|css|html)$/.test(name) && !/\.spec\.ts$/.test(name))
				.map((name) => `${folder}/${name}`)
		);
		expect(files.length).to.be.greaterThan(300);
		const found = files.filter((name) =>
			named.test(readFileSync(new URL(`../../../${name}`, import.meta.url), 'utf8'))
		);
		expect(found).to.deep.equal([]);
	});
});
