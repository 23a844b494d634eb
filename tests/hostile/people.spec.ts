import { expect } from 'chai';
import { Secret, TOTP } from 'otpauth';
import { database, runAs, SIGN_IN } from '../../src/lib/server/database';
import { signIn } from '../../src/lib/server/people';
import { turnOffCodesOf } from '../../src/lib/server/people/administration';
import { issueTicket } from '../../src/lib/server/people/coming-in/tickets';
import { newTotp, renewRecoveryCodes } from '../../src/lib/server/people/coming-in/totp';
import {
	address,
	answerOf,
	doneBy,
	get,
	newPerson,
	PASSWORD,
	post,
	type TestPerson,
	unwalled
} from '../server/making';
import { survives } from './attack';

const NEW_PASSWORD = 'another sentence altogether';

async function withCodes(): Promise<TestPerson & { secret: string; recovery: string[] }> {
	const person = await newPerson({ 'Marlstone Veterinary': 'reader' });
	const { sealed, secret } = newTotp(person.email);
	await unwalled()('person')
		.where({ id: person.id })
		.update({ totp_secret: sealed, totp_confirmed_at: new Date() });
	return { ...person, secret, recovery: await renewRecoveryCodes(unwalled(), person.id) };
}
const linkFor = async ({ id }: TestPerson) =>
	new URL(await runAs(SIGN_IN, () => issueTicket(database(), 'reset', id))).pathname;
const sendLink = async (path: string, fields: Record<string, string>) =>
	answerOf(await post(path, { password: NEW_PASSWORD, ...fields }));

describe('whoever wants to come in as somebody else', () => {
	it('does not with a letter alone, where one-time codes are on', async () => {
		const person = await withCodes();
		const link = await linkFor(person);
		for (const code of ['', '000000', 'aaaaa-bbbbb'])
			expect((await sendLink(link, { code })).type).to.equal('failure');
		const stored = await unwalled()('person').where({ id: person.id }).first('password_hash');
		expect((await get('/account', person)).status, 'the session goes on').to.equal(200);
		const code = new TOTP({ secret: Secret.fromBase32(person.secret) }).generate();
		expect((await sendLink(link, { code })).type).to.equal('redirect');
		expect(
			(await unwalled()('person').where({ id: person.id }).first('password_hash')).password_hash
		).to.not.equal(stored.password_hash);
		expect((await get('/account', person)).status, 'every session has ended').to.equal(303);
		// The link was good once, and so was the code
		expect((await sendLink(link, { code: person.recovery[0]! })).type).to.equal('failure');
		expect((await sendLink(await linkFor(person), { code })).type).to.equal('failure');
		expect((await sendLink(await linkFor(person), { code: person.recovery[0]! })).type).to.equal('redirect');
	});

	it('does not by guessing the code of a link', async () => {
		const person = await withCodes();
		const link = await linkFor(person);
		const words: unknown[] = [];
		for (let tries = 0; tries < 14; tries++)
			words.push((await sendLink(link, { code: String(100000 + tries) })).data!.problem);
		expect(words.filter((one) => /Too many wrong tries/.test(String(one)))).to.have.lengthOf(4);
	});

	it('has their codes turned off by an administrator alone, and not by themselves in that way', async () => {
		const [person, colleague] = [await withCodes(), await newPerson({ 'Marlstone Veterinary': 'engineer' })];
		const isOn = async (id: string) =>
			(await unwalled()('person').where({ id }).first('totp_secret')).totp_secret !== null;
		for (const who of [person, colleague])
			expect((await doneBy(who, (actor) => turnOffCodesOf(person.id, actor))).ok).to.equal(false);
		const administrator = await newPerson('administrator');
		expect((await doneBy(administrator, (actor) => turnOffCodesOf(administrator.id, actor))).ok).to.equal(
			false
		);
		expect(await isOn(person.id)).to.equal(true);
		expect((await doneBy(administrator, (actor) => turnOffCodesOf(person.id, actor))).ok).to.equal(true);
		expect(await isOn(person.id)).to.equal(false);
		expect((await get('/account', person)).status, 'every session has ended').to.equal(303);
		const entry = await unwalled()('ledger_entry')
			.where({ act: 'turn off one-time codes', subject_id: person.id })
			.first();
		expect(entry).to.include({ person_id: administrator.id });
	});

	it('makes hardly anything be hashed by guessing at many people from one place @long', async () => {
		const from = { address: '198.51.100.77', device: '' };
		const guess = (email: string, deviceMark: string | null = null) =>
			signIn({ email, password: 'a guess of a stranger', code: '', deviceMark }, from);
		const person = await newPerson({ 'Marlstone Veterinary': 'reader' });
		const known = await signIn({ email: person.email, password: PASSWORD, code: '', deviceMark: null }, from);
		if (!known.ok) throw new Error(known.problem);
		const outcomes = await Promise.all(
			Array.from({ length: 300 }, (_, at) => guess(`nobody-${at}@tests.example`))
		);
		const looked = outcomes.filter((one) => !one.ok && /is wrong/.test(one.problem)).length;
		expect(looked).to.be.within(1, 100);
		// Who works there and has come in before still does; their colleague with the guesser waits
		const again = (deviceMark: string | null) =>
			signIn({ email: person.email, password: PASSWORD, code: '', deviceMark }, from);
		expect((await again(known.done.deviceMark)).ok).to.equal(true);
		expect((await again(null)).ok).to.equal(false);
	});

	it('ends nothing with what no text holds', () =>
		survives(async () => {
			const odd = ['\0', '\ud800', '\u202e', 'x'.repeat(70_000), '\r\nset-cookie: a=b'];
			for (const text of odd)
				for (const [path, field] of [
					['/sign-in?/password', 'email'],
					['/forgotten', 'email'],
					['/ticket/nothing', 'password'],
					['/intake?/claim', 'text'],
					['/find', 'q'],
					['/people?/invite', 'name'],
					['/sites/new?/plan', 'name'],
					['/sites/new?/look', 'name'],
					['/profiles?/part', 'name']
				] as const) {
					const answer = await post(path, { [field]: text.toWellFormed(), password: text.toWellFormed() });
					expect(answer.status, `${path} ${JSON.stringify(text.slice(0, 9))}`).to.be.below(500);
				}
		}));
});

describe('pages that are kept up to date', () => {
	async function open(person: TestPerson, path = '/live?topics=runs') {
		const leave = new AbortController();
		const answer = await fetch(address(path), { headers: { cookie: person.cookie }, signal: leave.signal });
		return { answer, leave };
	}

	it('are only so many for one session', async () => {
		const person = await newPerson({ 'Marlstone Veterinary': 'reader' });
		const opened = await Promise.all(Array.from({ length: 60 }, () => open(person)));
		const statuses = opened.map(({ answer }) => answer.status);
		expect(statuses.filter((status) => status === 200)).to.have.lengthOf(30);
		expect(statuses.filter((status) => status === 429)).to.have.lengthOf(30);
		for (const { leave } of opened) leave.abort();
		for (;;) {
			// Until the server has noticed that they left
			const { answer, leave } = await open(person);
			leave.abort();
			if (answer.status === 200) break;
		}
	});

	it('end with the session they belong to', async () => {
		const person = await newPerson({ 'Marlstone Veterinary': 'reader' });
		const { answer } = await open(person);
		const reader = answer.body!.getReader();
		await reader.read();
		const out = await fetch(address('/sign-out'), {
			method: 'POST',
			redirect: 'manual',
			headers: { cookie: person.cookie, origin: address('') }
		});
		expect(out.status).to.equal(303);
		while (!(await reader.read()).done);
		const [entry] = await unwalled()('ledger_entry').where({ subject_id: person.id, act: 'sign out' });
		expect(entry.words).to.include('signed out');
	});
});
