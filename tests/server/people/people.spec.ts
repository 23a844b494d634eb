import { database } from '../../../src/lib/server/database';
import { expect } from 'chai';
import { Secret, TOTP } from 'otpauth';
import { unseal, seal } from '../../../src/lib/server/keys';
import {
	confirmItIsYou,
	quickPeople,
	quickSignIn,
	signIn,
	type SignInOutcome
} from '../../../src/lib/server/people';
import { newTotp } from '../../../src/lib/server/people/coming-in/totp';
import {
	answerOf,
	boundUnit,
	customerId,
	get,
	newPerson,
	PASSWORD,
	post,
	report,
	type TestPerson,
	unwalled
} from '../making';

const from = (address: string) => ({ address, device: 'Mozilla/5.0 (X11; Linux x86_64) Firefox/140.0' });
let lastAddress = 0;
/** Tests do not share a network address, which has a limit of its own. */
const elsewhere = () => from(`10.9.${Math.floor(++lastAddress / 250)}.${(lastAddress % 250) + 1}`);
const attempt = (
	email: string,
	password: string,
	where = elsewhere(),
	deviceMark: string | null = null,
	code = ''
) => signIn({ email, password, code, deviceMark }, where);
const problemOf = (outcome: SignInOutcome) => (outcome.ok ? 'came in' : outcome.problem);

describe('signing in', () => {
	it('lets in who knows the password, however the address is written, and keeps no token', async () => {
		const person = await newPerson({ 'Marlstone Veterinary': 'technician' });
		const outcome = await attempt(` ${person.email.toUpperCase()} `, PASSWORD);
		if (!outcome.ok) throw new Error(outcome.problem);
		const { token } = outcome.done;
		const page = await get('/', { ...person, cookie: `limen_session=${token}` });
		expect(page.status).to.equal(200);
		const { rows } = await unwalled().raw('select session::text as row from session where person_id = ?', [
			person.id
		]);
		const kept = rows.map(({ row }: { row: string }) => row).join();
		expect(kept).to.include('Firefox on Linux');
		expect(kept).to.not.include(token);
	});

	it('says the same of an unknown address, a wrong password, and somebody shut out', async () => {
		const person = await newPerson({});
		const gone = await newPerson({});
		await unwalled()('person').where({ id: gone.id }).update({ disabled_at: new Date() });
		const said = await Promise.all([
			attempt('nobody@tests.example', PASSWORD),
			attempt(person.email, 'wrong'),
			attempt(gone.email, PASSWORD)
		]);
		expect(new Set(said.map(problemOf)).size).to.equal(1);
		expect(said.every(({ ok }) => !ok)).to.equal(true);
	});

	it('makes an attacker wait after ten wrong tries, but not the person on their own device', async () => {
		const person = await newPerson({});
		const own = await attempt(person.email, PASSWORD);
		if (!own.ok) throw new Error(own.problem);
		for (let tries = 0; tries < 10; tries++) await attempt(person.email, `guess ${tries}`);
		expect(problemOf(await attempt(person.email, PASSWORD))).to.match(
			/^Too many wrong tries\. Try again in 15 minutes/
		);
		expect(problemOf(await attempt(person.email, PASSWORD, elsewhere(), own.done.deviceMark))).to.equal(
			'came in'
		);
		// A mark that was made up, or is another's, is worth nothing
		const other = await attempt((await newPerson({})).email, PASSWORD);
		if (!other.ok) throw new Error(other.problem);
		for (const mark of ['made-up', other.done.deviceMark])
			expect(problemOf(await attempt(person.email, PASSWORD, elsewhere(), mark))).to.match(/^Too many/);
	});

	it('counts guesses that are all sent at once', async () => {
		const person = await newPerson({});
		const guesses = await Promise.all(
			Array.from({ length: 30 }, (_, index) => attempt(person.email, `guess ${index}`))
		);
		expect(guesses.filter((outcome) => /^Too many/.test(problemOf(outcome)))).to.have.lengthOf(20);
	});

	it('does not slow the office for one person’s wrong tries', async () => {
		const office = elsewhere();
		const [clumsy, colleague] = [await newPerson({}), await newPerson({})];
		for (let tries = 0; tries < 12; tries++) await attempt(clumsy.email, 'wrong', office);
		expect(problemOf(await attempt(colleague.email, PASSWORD, office))).to.equal('came in');
	});

	it('takes a one-time code once, even when it is sent twice at the same moment', async () => {
		const person = await newPerson({});
		const { sealed, secret } = newTotp(person.email);
		await unwalled()('person')
			.where({ id: person.id })
			.update({ totp_secret: sealed, totp_confirmed_at: new Date() });
		expect(await attempt(person.email, PASSWORD)).to.include({ ok: false, needsCode: true });
		const code = new TOTP({ secret: Secret.fromBase32(secret) }).generate();
		const twice = await Promise.all(
			[1, 2].map(() => attempt(person.email, PASSWORD, elsewhere(), null, code))
		);
		expect(twice.map(({ ok }) => ok).sort()).to.deep.equal([false, true]);
		expect(problemOf(await attempt(person.email, PASSWORD, elsewhere(), null, code))).to.match(/used before/);
	});

	it('enters who came in, and who was refused, but not what they typed', async () => {
		const person = await newPerson({});
		await attempt(person.email, 'my other password');
		await attempt(person.email, PASSWORD);
		const entries = await unwalled()('ledger_entry').where({ subject_id: person.id }).orderBy('id');
		expect(entries.map(({ result }) => result)).to.deep.equal(['refused', 'done']);
		expect(JSON.stringify(entries)).to.not.include('my other password');
	});
});

describe('letters and the demo’s list', () => {
	const linkIn = async (email: string) => {
		const letter = await unwalled()('mail').where({ to_address: email }).orderBy('id', 'desc').first();
		return letter && new URL(/https?:\/\/\S+/.exec(letter.text)![0]).pathname;
	};

	it('set a new password by a link that is good once, and end every session of the person', async () => {
		const person = await newPerson({ 'Marlstone Veterinary': 'technician' });
		const said = await answerOf(await post('/forgotten', { email: person.email }));
		const ofNobody = await answerOf(await post('/forgotten', { email: 'nobody@tests.example' }));
		// Whether somebody has the address is not told
		expect(said.data).to.deep.equal(ofNobody.data);
		expect(await linkIn('nobody@tests.example')).to.equal(undefined);
		const link = await linkIn(person.email);
		for (const password of ['too short', 'aaaaaaaaaaaaaaaa', `${person.email} and more`])
			expect((await answerOf(await post(link!, { password }))).type, password).to.equal('failure');
		expect((await answerOf(await post(link!, { password: 'a kettle on the hob' }))).type).to.equal(
			'redirect'
		);
		expect((await answerOf(await post(link!, { password: 'another kettle here' }))).type).to.equal('failure');
		expect((await get('/', person)).status).to.equal(303);
		expect(problemOf(await attempt(person.email, PASSWORD))).to.match(/wrong/);
		expect(problemOf(await attempt(person.email, 'a kettle on the hob'))).to.equal('came in');
	});

	it('are not sent without end', async () => {
		const { email } = await newPerson({});
		const outcomes = [];
		for (let tries = 0; tries < 6; tries++)
			outcomes.push((await answerOf(await post('/forgotten', { email }))).type);
		expect(outcomes.at(-1)).to.equal('failure');
	});

	it('offer nobody where the database was not born as a demo, whatever the surroundings say', async () => {
		const before = process.env.LIMEN_DEMO;
		process.env.LIMEN_DEMO = 'yes';
		try {
			expect(await quickPeople()).to.deep.equal([]);
			expect(await quickSignIn((await newPerson('administrator')).id, elsewhere())).to.include({ ok: false });
		} finally {
			if (before === undefined) delete process.env.LIMEN_DEMO;
			else process.env.LIMEN_DEMO = before;
		}
		const born = await database()('installation')
			.update({ demo: true })
			.then(
				() => 'changed',
				(error: Error) => error.message
			);
		expect(born).to.match(/permission denied/);
	});
});

describe('sessions', () => {
	it('end everywhere at once when they are revoked, streams included', async () => {
		const person = await newPerson({ 'Marlstone Veterinary': 'coordinator' });
		const second = await attempt(person.email, PASSWORD);
		if (!second.ok) throw new Error(second.problem);
		const thief: TestPerson = { ...person, cookie: `limen_session=${second.done.token}` };
		const stream = await get('/arrivals/stream', thief);
		expect(stream.status).to.equal(200);
		const reader = stream.body!.getReader();
		await reader.read();
		const stolen = await unwalled()('session')
			.where({ person_id: person.id })
			.whereNot({ id: person.sessionId })
			.first('id');
		const ended = await answerOf(await post('/account?/end', { session: stolen.id }, {}, person));
		expect(ended.type).to.equal('success');
		while (!(await reader.read()).done);
		expect((await get('/sites', thief)).headers.get('location')).to.match(/^\/sign-in/);
		expect((await get('/arrivals/rows', thief, { headers: { accept: '*/*' } })).status).to.equal(401);
		expect((await get('/sites', person)).status).to.equal(200);
	});

	it('end after a week, and after twelve hours without use', async () => {
		for (const [column, value] of [
			['ends_at', `now() - interval '1 second'`],
			['last_used_at', `now() - interval '12 hours 1 second'`]
		] as const) {
			const person = await newPerson({ 'Marlstone Veterinary': 'technician' });
			expect((await get('/', person)).status).to.equal(200);
			await unwalled().raw(
				`update session set created_at = now() - interval '8 days', ${column} = ${value} where person_id = ?`,
				[person.id]
			);
			expect((await get('/', person)).status).to.equal(303);
		}
	});

	it('are not moved by a forged cookie', async () => {
		const person = await newPerson({});
		for (const cookie of [
			'limen_session=',
			'limen_session=x',
			`limen_session=${person.sessionId}`,
			`limen_session=${'A'.repeat(5000)}`
		])
			expect((await get('/', { ...person, cookie })).status).to.equal(303);
	});

	it('change with the duties of their person from the next request on', async () => {
		const person = await newPerson({ 'Marlstone Veterinary': 'reader' });
		expect((await get('/records', person)).status).to.equal(403);
		const customer = await customerId();
		await post('/people?/duties', { person: person.id, [`duty:${customer}`]: 'auditor' });
		expect((await get('/records', person)).status).to.equal(200);
		const entry = await unwalled()('ledger_entry')
			.where({ subject_id: person.id, act: 'set duties' })
			.first();
		expect(entry.before.duties).to.deep.equal({ [customer]: 'reader' });
		expect(entry.after.duties).to.deep.equal({ [customer]: 'auditor' });
	});
});

describe('disruptive acts', () => {
	it('ask again who it is when that was a while ago, say what they interrupt, and do what was asked for', async () => {
		const person = await newPerson({ 'Marlstone Veterinary': 'engineer' });
		const unit = await boundUnit();
		await report(unit, 'bootstrap-initiated');
		const { site_id } = await unwalled()('position').where({ id: unit.positionId }).first('site_id');
		const { name } = await unwalled()('site').where({ id: site_id }).first('name');
		const unbind = (more: Record<string, string> = {}) =>
			post(`/sites/${site_id}?/unbind`, { position: unit.positionId, ...more }, {}, person).then(answerOf);
		await unwalled()('session')
			.where({ id: person.sessionId })
			.update({ confirmed_at: new Date(Date.now() - 6 * 60_000) });
		const asked = await unbind();
		expect(asked.status).to.equal(403);
		expect(asked.data!.confirm).to.deep.include({
			sites: [name],
			fields: { position: unit.positionId },
			wantsPassword: true,
			wantsReason: true,
			problem: null
		});
		expect((await unbind({ confirm_password: 'wrong' })).data!.confirm).to.include({
			problem: 'The password is wrong.'
		});
		expect(await unwalled()('binding').where({ unit_id: unit.unitId })).to.have.lengthOf(1);
		// The right password, and no reason: who it is need not be shown again
		expect((await unbind({ confirm_password: PASSWORD, reason: '  ' })).data!.confirm).to.include({
			wantsPassword: false,
			wantsReason: true,
			problem: 'Say why; a few words are enough.'
		});
		expect(await unwalled()('binding').where({ unit_id: unit.unitId })).to.have.lengthOf(1);
		expect((await unbind({ reason: ' The clinic moved. ' })).type).to.equal('success');
		expect(await unwalled()('binding').where({ unit_id: unit.unitId })).to.have.lengthOf(0);
		const entry = await unwalled()('ledger_entry').where({ subject_id: unit.unitId, act: 'unbind' }).first();
		expect(entry.reason).to.equal('The clinic moved.');
		expect(await get(`/records?thing=${unit.unitId}`, person).then((page) => page.text())).to.include(
			'Why: The clinic moved.'
		);
	});

	it('do not ask in vain: a unit that was never heard interrupts nobody', async () => {
		const person = await newPerson({ 'Marlstone Veterinary': 'engineer' });
		await unwalled()('session')
			.where({ id: person.sessionId })
			.update({ confirmed_at: new Date(0) });
		const unit = await boundUnit();
		const done = await post(`/units/${unit.unitId}?/unbind`, { position: unit.positionId }, {}, person).then(
			answerOf
		);
		expect(done.type).to.equal('success');
	});

	it('show an administrator where somebody is signed in, and end one session and no other', async () => {
		const administrator = await newPerson('administrator');
		const person = await newPerson({ 'Marlstone Veterinary': 'technician' });
		const second = await signIn(
			{ email: person.email, password: PASSWORD, code: '', deviceMark: null },
			elsewhere()
		);
		if (!second.ok) throw new Error(second.problem);
		const other: TestPerson = { ...person, cookie: `limen_session=${second.done.token}` };
		const page = await get(`/people?person=${person.id}`, administrator).then((answer) => answer.text());
		expect(page).to.include('Firefox on Linux').and.include(person.sessionId);
		const ended = await post('/people?/end', { session: person.sessionId }, {}, administrator).then(answerOf);
		expect(ended.type).to.equal('success');
		expect((await get('/sites', person)).status).to.equal(303);
		expect((await get('/sites', other)).status).to.equal(200);
	});

	it('cannot be confirmed on a session that has ended', async () => {
		const person = await newPerson({});
		await unwalled()('session').where({ id: person.sessionId }).update({ revoked_at: new Date() });
		expect(await confirmItIsYou(person.sessionId, { password: PASSWORD, code: '' }, elsewhere())).to.include({
			ok: false
		});
	});
});

describe('what duties may', () => {
	it('is refused when it is tried past the interface', async () => {
		const unit = await boundUnit();
		const { site_id } = await unwalled()('position').where({ id: unit.positionId }).first('site_id');
		const tries: [duty: 'auditor' | 'reader' | 'technician', path: string, fields: Record<string, string>][] =
			[
				['auditor', '/intake?/claim', { customer: await customerId(), text: 'OG2K0000001' }],
				['auditor', `/units/${unit.unitId}?/unbind`, { position: unit.positionId }],
				['auditor', `/units/${unit.unitId}?/code`, { code: 'ABCDEFGH' }],
				['reader', `/sites/${site_id}?/retry`, { position: unit.positionId }],
				['technician', `/units/${unit.unitId}?/code`, { code: 'ABCDEFGH' }],
				['technician', `/sites/${site_id}?/reveal`, { position: unit.positionId, name: 'staff_secret' }],
				['technician', '/people?/out', { person: '00000000-0000-7000-8000-000000000000' }]
			];
		for (const [duty, path, fields] of tries) {
			const person = await newPerson({ 'Marlstone Veterinary': duty });
			const { type, status } = await answerOf(await post(path, fields, {}, person));
			expect(['failure', 'error'], `${duty} ${path}`).to.include(type);
			expect(status ?? 403, `${duty} ${path}`).to.be.within(400, 499);
		}
		expect(await unwalled()('binding').where({ unit_id: unit.unitId })).to.have.lengthOf(1);
	});
});

describe('secrets', () => {
	it('are sealed each time anew, open again, and notice every change', () => {
		const [one, two] = [seal('rye-crumb'), seal('rye-crumb')];
		expect(one).to.not.equal(two);
		expect(unseal(one)).to.equal('rye-crumb');
		const [head, key, body] = one.split(':') as [string, string, string];
		const bytes = Buffer.from(body, 'base64');
		for (let place = 0; place < bytes.length; place++) {
			const changed = Buffer.from(bytes);
			changed[place]! ^= 1;
			expect(() => unseal(`${head}:${key}:${changed.toString('base64')}`), `byte ${place}`).to.throw();
		}
		expect(() => unseal(`sealed:000000000000:${body}`)).to.throw(/is not in keys\/secret.keys/);
	});

	it('lie nowhere in the database, and cannot be put there', async () => {
		const { rows } = await unwalled().raw(
			`select table_name as name from information_schema.tables where table_schema = 'public'`
		);
		for (const { name } of rows) {
			const { rows: found } = await unwalled().raw(
				`select count(*)::int as count from ${name} t where t::text ~ 'hayloft-lantern-otter|rye-crumb-ember|tendon-maple-sky'`
			);
			expect(found[0].count, name).to.equal(0);
		}
		const clear = await unwalled()('site')
			.update({ values: JSON.stringify({ tunnel_secret: 'in the clear' }) })
			.then(
				() => 'let in',
				(error: Error) => error.message
			);
		expect(clear).to.match(/check constraint/);
	});

	it('do not come back in a unit’s own words', async () => {
		const unit = await boundUnit();
		await report(unit, 'config-error', { message: 'line 4: secret "hayloft-lantern-otter" is not allowed' });
		const page = await get(`/units/${unit.unitId}`).then((answer) => answer.text());
		expect(page).to.include('line 4: secret').and.not.include('hayloft');
	});
});
