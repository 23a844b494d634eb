import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { expect } from 'chai';
import type { Actor } from '../../../src/lib/server/ledger';
import { BOOTSTRAP, runAs } from '../../../src/lib/server/database';
import { callHomeKeys, seal, unseal } from '../../../src/lib/server/keys';
import { currentSettings } from '../../../src/lib/server/settings';
import { planTunnel, saveValues, tunnels } from '../../../src/lib/server/plan';
import { revealSecret } from '../../../src/lib/server/profile';
import { USUAL_RULES } from '../../../src/core/rollout';
import {
	advance,
	beginRollout,
	draftRenewal,
	itemsOfRollout,
	rolloutById
} from '../../../src/lib/server/rollout';
import {
	dropRule,
	goOnWithRotations,
	renewCallHomeKey,
	saveRule,
	secrets,
	type ShownSecret
} from '../../../src/lib/server/secrets';
import { ALONE } from '../../../standins/network/fabric';
import { Changes } from '../../../standins/units/configuration/changes';
import { NO_IMAGES } from '../../../standins/units/images';
import { MAKERS } from '../../../standins/units/makers';
import { answeringAsRouter, dialUntilEnded, onChange, readyToDial } from '../dialling';
import { Gateway, untilLost } from '../gateway';
import {
	ACTOR,
	actAsEngineer,
	anAdministrator,
	customerId,
	doneBy,
	newPerson,
	openPosition,
	unwalled,
	customerLike
} from '../making';
import { tunnelPool } from '../network';
import { must } from '../profile/profile-making';

const PIPPIN = 'Pippin & Loaf';
let customer: string;
let made = 0;

const newPlace = async (of = PIPPIN): Promise<string> => {
	const positionId = await openPosition('router', of);
	await unwalled()('position')
		.where({ id: positionId })
		.update({
			values: unwalled().raw(`values || ?::jsonb`, [
				JSON.stringify({ networks: `10.77.${(made++ % 60) * 4}.0/22`, outside_address: '203.0.113.26' })
			])
		});
	return positionId;
};
async function routerAt(positionId: string, of = PIPPIN): Promise<Gateway> {
	const unit = await readyToDial('router', { customer: of, positionId });
	expect(await dialUntilEnded(unit, unit.runId, answeringAsRouter(unit))).to.include({ outcome: 'through' });
	return new Gateway(unit, 'veltrane');
}
const secretIn = (text: string, tunnel: string): string | undefined =>
	new RegExp(`tunnel ${tunnel}\\n(?: .*\\n)*? +secret "([^"]+)"`).exec(text)?.[1];

/** Two routers with a tunnel between them that is up while they agree. */
async function pair() {
	const [near, far] = [await newPlace(), await newPlace()];
	const { name } = must(await planTunnel({ customer, near, far }, ACTOR));
	const ends = [await routerAt(near), await routerAt(far)] as const;
	const agree = () => secretIn(ends[0].runs, name) === secretIn(ends[1].runs, name);
	let broken = false;
	for (const end of ends) {
		end.network = { ...ALONE, tunnels: () => [{ name, isUp: !broken && agree(), peer: '10.255.0.1' }] };
		await end.dial();
	}
	const { secretId } = (await tunnels({ customerId: customer })).find((one) => one.name === name)!;
	return { name, ends, secretId, agree, breaks: () => (broken = true) };
}
const secretOf = async (id: string): Promise<ShownSecret> => (await secrets(null, Date.now(), [id]))[0]!;
const kept = (id: string) => unwalled()('secret').where({ id }).first('previous', 'since');

async function renewed(ids: readonly string[], units: number): Promise<string> {
	const { id, count } = must(await draftRenewal({ secrets: ids }, ACTOR));
	expect(count).to.equal(units);
	must(
		await beginRollout(
			id,
			{ title: 'New secrets', rules: USUAL_RULES, units, asked: false },
			{ ...ACTOR, reason: 'for a test' }
		)
	);
	return id;
}
const goOn = (id: string) =>
	runAs(BOOTSTRAP, async () => {
		await goOnWithRotations();
		await advance(id);
	});
const until = (id: string, holds: () => Promise<boolean>) =>
	onChange(['rollouts', 'sends', 'units'], async () => {
		if (await holds()) return true;
		await goOn(id);
		return holds();
	});
const isOver = (id: string) => until(id, async () => (await rolloutById(id))!.state === 'ended');
const itemsIn = async (id: string) =>
	(await itemsOfRollout(id)).map(({ state, words }) => ({
		state,
		words: words.replaceAll(/Test site \d+/g, 'a site')
	}));
const sendsTo = (unitId: string): Promise<string[]> =>
	unwalled()('send').where({ unit_id: unitId }).orderBy('asked_at').pluck('state');

describe('a secret', () => {
	before(async () => {
		customer = await customerId(PIPPIN);
		await actAsEngineer();
		await tunnelPool(customer);
	});

	it('of a tunnel is renewed at both ends at once, proved, and the one before is destroyed', async () => {
		const { name, ends, secretId, agree } = await pair();
		const before = secretIn(ends[0].runs, name)!;
		expect(await secretOf(secretId)).to.include({
			kind: 'tunnel',
			isMade: true,
			keepsOld: false,
			provedAt: null
		});
		const stay = ends.map((end) => end.staysHome());
		const id = await renewed([secretId], 1);
		await isOver(id);
		expect(await itemsIn(id)).to.deep.equal([{ state: 'done', words: '' }]);
		const now = secretIn(ends[0].runs, name)!;
		expect(now)
			.to.match(/^[a-hjkmnp-z2-9]{24}$/)
			.and.not.equal(before);
		expect(secretIn(ends[1].runs, name)).to.equal(now);
		expect(agree()).to.equal(true);
		for (const { unit } of ends) expect(await sendsTo(unit.unitId)).to.deep.equal(['confirmed']);
		const shown = await secretOf(secretId);
		expect(shown).to.include({ isMade: true, keepsOld: false });
		expect(shown.provedAt).to.be.instanceOf(Date);
		expect(shown.proof.match(new RegExp(`${name} came up with the new one`, 'g'))).to.have.length(2);
		expect(await kept(secretId)).to.include({ previous: null });
		const left = await unwalled()('rotation_secret').where({ secret_id: secretId }).first('was', 'before');
		expect(left).to.deep.equal({ was: null, before: null });
		await Promise.all(stay.map((leave) => leave()));
	});

	it('of a tunnel is kept by neither end where one does not take it', async () => {
		const { name, ends, secretId, agree } = await pair();
		const before = secretIn(ends[0].runs, name)!;
		ends[1].problem = 'line 7: no more memory';
		const { since } = await kept(secretId);
		const stay = ends.map((end) => end.staysHome());
		const id = await renewed([secretId], 1);
		await until(id, async () => (await sendsTo(ends[1].unit.unitId)).includes('refused'));
		await isOver(id);
		const [item] = await itemsIn(id);
		expect(item!.state).to.equal('failed');
		expect(item!.words).to.contain('The one before is in use again.');
		expect(agree()).to.equal(true);
		expect(secretIn(ends[0].runs, name)).to.equal(before);
		expect((await sendsTo(ends[0].unit.unitId)).at(-1)).to.equal('gone back');
		// The plan is as it was, and the secret as old
		const row = await unwalled()('tunnel').where({ name, customer_id: customer }).first('secret');
		expect(unseal(row.secret)).to.equal(before);
		const now = await kept(secretId);
		expect(now).to.deep.equal({ previous: null, since });
		await Promise.all(stay.map((leave) => leave()));
	});

	it('that cannot be proved goes back to both ends @long', async () => {
		const { name, ends, secretId, breaks } = await pair();
		const before = secretIn(ends[0].runs, name)!;
		const stay = ends.map((end) => end.staysHome());
		breaks();
		const id = await renewed([secretId], 1);
		await until(
			id,
			async () =>
				(await unwalled()('rotation').where({ unit_id: ends[0].unit.unitId }).first())?.state === 'proving'
		);
		expect(secretIn(ends[0].runs, name)).to.not.equal(before);
		expect((await kept(secretId)).previous).to.match(/^sealed:/);
		await unwalled()('rotation')
			.where({ unit_id: ends[0].unit.unitId })
			.update({ proving_at: new Date(Date.now() - 200_000) });
		await isOver(id);
		const [item] = await itemsIn(id);
		expect(item!.state).to.equal('failed');
		expect(item!.words).to.match(/It is down\..*The one before is in use again\./);
		for (const end of ends) {
			expect(secretIn(end.runs, name)).to.equal(before);
			expect(await sendsTo(end.unit.unitId)).to.deep.equal(['confirmed', 'confirmed']);
		}
		expect(await secretOf(secretId)).to.include({ keepsOld: false, provedAt: null });
		await Promise.all(stay.map((leave) => leave()));
	});

	it('of an account at several units is made once, tried at each, and kept until the last has it @long', async () => {
		const of = await customerLike(PIPPIN, { local_password: seal('oven-door-4') });
		const units = [await onlineAt(of), await onlineAt(of)];
		const [secretId] = await secretsOf(of, 'local_password');
		const stay = units.map((one) => one.staysHome());
		// One whose model's text does not name it is no holder, though its profile has the field
		const point = await readyToDial('access-point', { customer: of });
		const answer = (command: string) =>
			MAKERS.lumenfold!.answer(command, {
				serial: point.serial,
				version: '2.6.0',
				configuration: point.given,
				network: ALONE,
				changes: new Changes(
					{ version: '2.6.0', configuration: '', hostKey: point.hostKey },
					() => null,
					() => undefined
				),
				images: NO_IMAGES,
				restart: () => undefined
			});
		expect(await dialUntilEnded(point, point.runId, answer)).to.include({ outcome: 'through' });
		const id = await renewed([secretId!], 2);
		await until(id, async () => (await itemsIn(id)).filter(({ state }) => state === 'done').length === 1);
		expect((await secretOf(secretId!)).keepsOld).to.equal(true);
		await isOver(id);
		expect((await itemsIn(id)).map(({ state }) => state)).to.deep.equal(['done', 'done']);
		const shown = await secretOf(secretId!);
		expect(shown).to.include({ keepsOld: false, isMade: true });
		expect(shown.proof).to.match(
			/^All 2 units run the new one\. .*The new one lets in; the old one is refused\./
		);
		const passwords = units.map(({ runs }) => /account onsite\n +secret "([^"]+)"/.exec(runs)![1]);
		expect(passwords[0]).to.equal(passwords[1]).and.not.equal('oven-door-4');
		await Promise.all(stay.map((leave) => leave()));
	});

	it('of an account that still lets in with the one before is not called renewed', async () => {
		const of = await customerLike(PIPPIN, { local_password: seal('oven-door-4') });
		const unit = await onlineAt(of);
		unit.stillLetsIn = [{ user: 'onsite', password: 'oven-door-4' }];
		const [secretId] = await secretsOf(of, 'local_password');
		const leave = unit.staysHome();
		const id = await renewed([secretId!], 1);
		await isOver(id);
		const [item] = await itemsIn(id);
		expect(item!.state).to.equal('failed');
		expect(item!.words).to.contain('The old one still lets in.');
		const { rows } = await unwalled().raw(
			`select count(*)::int as count from rotation join rotation_end r on r.rotation_id = rotation.id
			left join rotation_secret s on s.rotation_id = rotation.id where ended_at is not null and (trials is not null or before is not null)`
		);
		expect(rows[0].count, 'what is over keeps no secret').to.equal(0);
		expect(await secretOf(secretId!)).to.include({ keepsOld: true, provedAt: null });
		await leave();
	});

	it('is not renewed where something else would go along, where somebody else gives it, or by who may not', async () => {
		const of = await customerLike(PIPPIN, { local_password: seal('oven-door-4') });
		const unit = await onlineAt(of);
		const [secretId] = await secretsOf(of, 'local_password');
		const [given] = await secretsOf(of, 'session_secret');
		const leave = unit.staysHome();
		await unwalled()('position')
			.where({ id: unit.unit.positionId })
			.update({ values: unwalled().raw(`values || '{"lan_label": "ovens"}'`) });
		const id = await renewed([secretId!], 1);
		await isOver(id);
		const [item] = await itemsIn(id);
		expect(item!.state).to.equal('left out');
		expect(item!.words).to.match(/^Something else is due at rt-1 at a site as well: send that first\.$/);
		expect(await secretOf(secretId!)).to.include({ keepsOld: false, isMade: false });
		expect(await draftRenewal({ secrets: [given!] }, ACTOR)).to.have.property(
			'problem',
			'session_secret is given by somebody else: Limen does not make it.'
		);
		await leave();
		for (const duty of ['technician', 'auditor', 'reader'] as const) {
			const person = await newPerson({ [of]: duty });
			await doneBy(person, async (actor) => {
				expect(await draftRenewal({ secrets: [secretId!] }, actor)).to.have.property('ok', false);
				expect(
					await saveRule({ customer: await customerId(of), about: '', days: 30 }, actor)
				).to.have.property('ok', false);
			});
		}
		const stranger = await newPerson({ [PIPPIN]: 'engineer' });
		await doneBy(stranger, async (actor) => {
			expect(await secrets(null, Date.now(), [secretId!])).to.deep.equal([]);
			expect(await draftRenewal({ secrets: [secretId!] }, actor)).to.have.property('ok', false);
		});
	});

	it('has an age and a rule, and says who looked at it since', async () => {
		const of = await customerLike(PIPPIN, { local_password: seal('oven-door-4') });
		const customerOf = await customerId(of);
		const place = await newPlace(of);
		const [secretId] = await secretsOf(of, 'local_password');
		expect(await secretOf(secretId!)).to.include({ standing: 'no rule', days: null });
		must(await saveRule({ customer: customerOf, about: '', days: 90 }, ACTOR));
		must(await saveRule({ customer: customerOf, about: 'field local_password', days: 30 }, ACTOR));
		expect(await secretOf(secretId!)).to.include({ standing: 'in time', days: 30 });
		await unwalled()('secret')
			.where({ id: secretId! })
			.update({ since: new Date(Date.now() - 31 * 86_400_000) });
		expect(await secretOf(secretId!)).to.include({ standing: 'due' });
		must(await dropRule({ customer: customerOf, about: 'field local_password' }, ACTOR));
		expect(await secretOf(secretId!)).to.include({ standing: 'in time', days: 90 });
		expect(must(await revealSecret(place, 'local_password', ACTOR)).value).to.equal('oven-door-4');
		expect((await secretOf(secretId!)).seen.map(({ who }) => who)).to.deep.equal([ACTOR.name]);
		const change = { positionId: place, field: 'local_password', target: 'customer' } as const;
		const before = await kept(secretId!);
		must(await saveValues([{ ...change, now: 'oven-door-4' }], ACTOR));
		expect(await kept(secretId!), 'given once more it is no younger').to.deep.equal(before);
		must(await saveValues([{ ...change, now: 'another-door-5' }], ACTOR));
		const shown = await secretOf(secretId!);
		expect(shown).to.include({ isMade: false, byWhom: ACTOR.name, keepsOld: true, standing: 'in time' });
		expect(shown.seen).to.deep.equal([]);
		must(await saveValues([{ ...change, now: '' }], ACTOR));
		expect(await secrets(null, Date.now(), [secretId!])).to.deep.equal([]);
	});
});

describe('the key that Limen logs in with', () => {
	it('is replaced at the units, tried at each, and shown as long as a unit needs it @long', async () => {
		await actAsEngineer();
		const of = await customerLike(PIPPIN, { local_password: seal('oven-door-4') });
		const unit = await onlineAt(of);
		const away = await onlineAt(of);
		await away.call!.end();
		await untilLost(away.unit.unitId);
		const administrator = await anAdministrator();
		const [before] = callHomeKeys();
		const engineer = await newPerson({ [of]: 'engineer' });
		const renew =
			(seen = before.fingerprint) =>
			(actor: Actor) =>
				renewCallHomeKey(seen, actor);
		expect(await doneBy(engineer, renew())).to.have.property('ok', false);
		expect(await doneBy(administrator, renew('SHA256:another'))).to.have.property('ok', false);
		must(await doneBy(administrator, renew()));
		expect(await doneBy(administrator, renew())).to.have.property('ok', false);
		expect(callHomeKeys().map(({ fingerprint }) => fingerprint)[1]).to.equal(before.fingerprint);
		const [newest] = callHomeKeys();
		try {
			const leave = unit.staysHome();
			const { id, count } = must(await draftRenewal({ key: true, customers: [await customerId(of)] }, ACTOR));
			expect(count).to.equal(2);
			must(
				await beginRollout(
					id,
					{ title: 'Key', rules: USUAL_RULES, units: 2, asked: false },
					{ ...ACTOR, reason: 'for a test' }
				)
			);
			await until(id, async () => (await itemsIn(id)).some(({ state }) => state === 'done'));
			expect(unit.runs).to.contain(newest.public).and.not.contain(before.public);
			const { login_key: took } = await unwalled()('unit').where({ id: unit.unit.unitId }).first('login_key');
			expect(took).to.equal(newest.fingerprint);
			const [end] = await unwalled()('rotation_end').where({ unit_id: unit.unit.unitId });
			expect(end.words).to.contain('The new one lets in; the old one is refused.');
			// Who was away still knows the one before, and is let in by it
			await away.dial();
			const leaveToo = away.staysHome();
			await isOver(id);
			expect((await itemsIn(id)).map(({ state }) => state)).to.deep.equal(['done', 'done']);
			expect(away.runs).to.contain(newest.public);
			await Promise.all([leave(), leaveToo()]);
		} finally {
			// Others' units know the one before alone: so it was not destroyed, and is the one again
			expect(callHomeKeys()).to.have.length(2);
			writeFileSync(join(currentSettings().LIMEN_STATE_DIR, 'keys', 'call-home.key'), before.private);
		}
	});
});

const secretsOf = async (of: string, field: string): Promise<string[]> =>
	unwalled()('secret')
		.where({ customer_id: await customerId(of), field })
		.pluck('id');
async function onlineAt(of: string): Promise<Gateway> {
	const router = await routerAt(await newPlace(of), of);
	await router.dial();
	return router;
}
