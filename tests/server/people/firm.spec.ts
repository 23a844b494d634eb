import { expect } from 'chai';
import { v7 as uuid } from 'uuid';
import { FirmProvider, type Told, type Wrong } from './firm-provider';
import {
	address,
	answerOf,
	customerId,
	customerLike,
	get,
	newPerson,
	post,
	unwalled,
	type TestPerson
} from '../making';

/** A browser that has no session yet: what it keeps between requests. */
class Browser {
	#cookies = new Map<string, string>();
	constructor(cookie = '') {
		for (const one of cookie.split('; ').filter(Boolean)) this.#keep(one);
	}
	#keep(set: string): void {
		const [, name, value] = /^([^=]+)=([^;]*)/.exec(set)!;
		if (value === '' || /max-age=0|expires=thu, 01 jan 1970/i.test(set)) this.#cookies.delete(name!);
		else this.#cookies.set(name!, value!);
	}
	get cookie(): string {
		return [...this.#cookies].map(([name, value]) => `${name}=${value}`).join('; ');
	}
	get hasSession(): boolean {
		return this.#cookies.has('limen_session');
	}
	async go(path: string): Promise<string> {
		const answer = await fetch(new URL(path, address('/')), {
			redirect: 'manual',
			headers: { cookie: this.cookie, accept: 'text/html' }
		});
		for (const set of answer.headers.getSetCookie()) this.#keep(set);
		expect(answer.status, path).to.equal(303);
		return answer.headers.get('location')!;
	}
	get(path: string, method = 'GET'): Promise<Response> {
		return fetch(new URL(path, address('/')), {
			method,
			redirect: 'manual',
			headers: { cookie: this.cookie, accept: 'text/html', origin: new URL(address('/')).origin }
		});
	}
}

describe('coming in through the firm', () => {
	const provider = new FirmProvider();
	let customer: string;
	let id: string;
	let administrator: TestPerson;
	before(async () => {
		await provider.listen();
		customer = await customerLike('Marlstone Veterinary');
		id = await customerId(customer);
		administrator = await newPerson('administrator');
	});
	after(() => provider.close());
	afterEach(() => (provider.wrong = {}));

	const somebody = (more: Partial<Told> = {}): Told => {
		const sub = uuid();
		return { sub, email: `${sub}@firm.example`, email_verified: true, name: 'Hemi Rangi', ...more };
	};
	const map = async (group: string, duty: string, at = id) =>
		answerOf(await post('/people/groups?/map', { group, duty, customer: at }, {}, administrator));
	/** A group of its own with a duty. */
	async function group(duty: string): Promise<string> {
		const name = `group ${uuid()}`;
		expect((await map(name, duty)).type).to.equal('success');
		return name;
	}
	/** Goes there and comes back as somebody; where the browser is sent then. */
	async function come(person: Told, browser = new Browser(), from = '/sign-in/firm'): Promise<string> {
		const there = new URL(await browser.go(from));
		expect(there.origin).to.equal(provider.issuer);
		const back = new URL('/sign-in/firm/back', address('/'));
		back.search = String(
			new URLSearchParams({ code: provider.codeFor(person, there), state: there.searchParams.get('state')! })
		);
		return browser.go(back.pathname + back.search);
	}
	const personOf = ({ sub }: Told) => unwalled()('person').where('firm_subject', 'like', `%${sub}`).first();
	const dutiesOf = async (person: Told) =>
		Object.fromEntries(
			(await unwalled()('membership').where({ person_id: (await personOf(person)).id })).map((one) => [
				one.customer_id,
				one.duty
			])
		);
	const why = (location: string) => new URL(location, address('/')).searchParams.get('firm');

	it('lets in whom a group gives something to do, with just that, for a working day, back to where they wanted', async () => {
		const person = somebody({ groups: [await group('technician'), 'football'] });
		const browser = new Browser();
		expect(await come(person, browser, '/sign-in/firm?back=%2Fsites')).to.equal('/sites');
		expect(await dutiesOf(person)).to.deep.equal({ [id]: 'technician' });
		const page = await (await browser.get('/sites')).text();
		expect(page).to.include('Hemi Rangi').and.not.include('Pippin');
		const session = await unwalled()('session')
			.where({ person_id: (await personOf(person)).id })
			.first();
		expect(session.ends_at.getTime() - Date.now()).to.be.below(12.1 * 3_600_000);
		const { rows } = await unwalled().raw(`select words from ledger_entry where subject_id = ? order by at`, [
			(await personOf(person)).id
		]);
		expect(rows.map((row: { words: string }) => row.words).join(' ')).to.include(
			'signed in through the firm'
		);
		expect(
			await come(
				somebody({ groups: person.groups }),
				new Browser(),
				'/sign-in/firm?back=https%3A%2F%2Fevil.example'
			)
		).to.not.include('evil');
	});

	it('gives what groups say now: more, less, or nothing any more; what was given here stays', async () => {
		const [field, desk, chiefs] = [await group('technician'), await group('engineer'), `chiefs ${uuid()}`];
		await map(chiefs, 'administrator', '');
		const person = somebody({ groups: [field] });
		await come(person);
		await come({ ...person, groups: [field, desk] });
		expect(await dutiesOf(person)).to.deep.equal({ [id]: 'engineer' });
		await come({ ...person, groups: [chiefs] });
		expect([await dutiesOf(person), (await personOf(person)).administrator]).to.deep.equal([{}, true]);
		await come({ ...person, groups: [field] });
		expect([await dutiesOf(person), (await personOf(person)).administrator]).to.deep.equal([
			{ [id]: 'technician' },
			false
		]);
		const browser = new Browser();
		expect(why(await come({ ...person, groups: [] }, browser))).to.equal('nothing');
		expect(browser.hasSession).to.equal(false);
		expect(await dutiesOf(person)).to.deep.equal({});

		const invited = await newPerson({ 'Pippin & Loaf': 'coordinator', [customer]: 'auditor' });
		const theirs = somebody({ email: invited.email.toUpperCase(), groups: [desk] });
		expect(why(await come(theirs))).to.equal(null);
		expect((await personOf(theirs)).id).to.equal(invited.id);
		expect(await dutiesOf(theirs)).to.deep.equal({
			[id]: 'auditor',
			[await customerId('Pippin & Loaf')]: 'coordinator'
		});
		const admin = await newPerson('administrator');
		await come(somebody({ email: admin.email, groups: [] }));
		expect((await unwalled()('person').where({ id: admin.id }).first()).administrator).to.equal(true);
	});

	it('leaves to administrators what they choose here: that stays, the rest goes with the groups', async () => {
		const [field, chiefs] = [await group('technician'), `chiefs ${uuid()}`];
		await map(chiefs, 'administrator', '');
		const person = somebody({ groups: [field, chiefs] });
		await come(person);
		const { id: personId } = await personOf(person);
		const elsewhere = await customerId('Pippin & Loaf');
		const form = { person: personId, [`duty:${id}`]: 'technician', [`duty:${elsewhere}`]: 'reader' };
		expect((await answerOf(await post('/people?/duties', form, {}, administrator))).type).to.equal('success');
		expect((await personOf(person)).administrator).to.equal(false);
		expect(await dutiesOf(person)).to.deep.equal({ [id]: 'technician', [elsewhere]: 'reader' });
		await come({ ...person, groups: [] });
		expect(await dutiesOf(person)).to.deep.equal({ [elsewhere]: 'reader' });
	});

	it('keeps out, in words, whom nobody mapped, who has no address that is checked, who was shut out, and whoever says no', async () => {
		const field = await group('technician');
		const words = async (person: Told) => {
			const browser = new Browser();
			const location = await come(person, browser);
			expect(browser.hasSession).to.equal(false);
			expect(await (await browser.get(location)).text()).to.match(/Sign in/);
			return why(location);
		};
		const nobody = somebody({ groups: ['accounts', { admin: true }, null] });
		expect(await words(nobody)).to.equal('nothing');
		expect(await personOf(nobody)).to.equal(undefined);
		expect(await words(somebody({ groups: { length: 1, 0: field } }))).to.equal('nothing');
		expect(await words(somebody({ groups: [field], email_verified: false }))).to.equal('nameless');
		expect(await words(somebody({ groups: [field], email: undefined }))).to.equal('nameless');
		const shut = somebody({ groups: [field] });
		await come(shut);
		await unwalled()('person')
			.where({ id: (await personOf(shut)).id })
			.update({ disabled_at: new Date() });
		expect(await words(shut)).to.equal('shut');
		// The address goes on to somebody new at the firm: not what is here under it
		expect(await words(somebody({ groups: [field], email: shut.email }))).to.equal('other');
		const browser = new Browser();
		const state = new URL(await browser.go('/sign-in/firm')).searchParams.get('state')!;
		const location = await browser.go(
			`/sign-in/firm/back?error=access_denied&state=${state}&error_description=<script>`
		);
		expect(why(location)).to.equal('stopped');
		expect(await (await browser.get('/sign-in?firm=%3Cscript%3E')).text()).to.not.include('<script>%3C');
	});

	it('believes nothing of what a browser or a stranger brings', async () => {
		const person = somebody({ groups: [await group('technician')] });
		const untrue = async (wrong: Wrong) => {
			provider.wrong = wrong;
			const browser = new Browser();
			const location = await come(person, browser);
			provider.wrong = {};
			expect(browser.hasSession).to.equal(false);
			return why(location);
		};
		const past = Math.floor(Date.now() / 1000) - 7_200;
		expect(await untrue({ claims: { aud: 'another program' } })).to.equal('untrue');
		expect(await untrue({ claims: { iss: 'https://another.example' } })).to.equal('untrue');
		expect(await untrue({ claims: { nonce: 'of another time' } })).to.equal('untrue');
		expect(await untrue({ claims: { exp: past, iat: past - 60 } })).to.equal('untrue');
		expect(await untrue({ claims: { sub: 'somebody else' } })).to.equal('untrue');
		expect(await untrue({ foreignKey: true })).to.equal('untrue');
		expect(await untrue({ unsigned: true })).to.equal('untrue');
		expect(await personOf(person)).to.equal(undefined);

		// Begun in another browser, or not at all; another state; a code that was used
		const [one, other] = [new Browser(), new Browser()];
		const there = new URL(await one.go('/sign-in/firm'));
		const code = provider.codeFor(person, there);
		const back = `/sign-in/firm/back?code=${code}&state=${there.searchParams.get('state')}`;
		expect(why(await other.go(back))).to.equal('stale');
		expect(why(await new Browser('limen_firm=sealed:nonsense').go(back))).to.equal('stale');
		await other.go('/sign-in/firm');
		expect(why(await other.go(back))).to.equal('untrue');
		expect(why(await one.go(back))).to.equal(null);
		expect(one.hasSession).to.equal(true);
		expect(why(await one.go(back))).to.equal('stale');
	});

	it('goes on when the provider has new keys, and says so when it is away, while others come in with a password', async () => {
		const person = somebody({ groups: [await group('technician')] });
		await come(person);
		await provider.renewKey();
		// Keys are asked for anew when one is met that is not known, once a minute at most: the first try may find the old ones
		const second = why(await come(person));
		expect(second === null || second === 'untrue').to.equal(true);
		expect(why(await come(person))).to.equal(null);
		const away = async (answer: Wrong['answer']) => {
			const browser = new Browser();
			const there = new URL(await browser.go('/sign-in/firm'), address('/'));
			provider.wrong = { answer };
			const state = there.searchParams.get('state');
			const location = state ? await browser.go(`/sign-in/firm/back?code=x&state=${state}`) : there.href;
			// It is asked for anew, in vain
			const next = await browser.go('/sign-in/firm');
			provider.wrong = {};
			return [why(location), why(next)];
		};
		const page =
			(body: string, status = 200) =>
			(_: unknown, response: import('node:http').ServerResponse) =>
				void response.writeHead(status, { 'content-type': 'text/html' }).end(body);
		for (const answer of [page('<html>Log in</html>'), page('', 503), page('x'.repeat(2 * 1024 * 1024))]) {
			const [first, next] = await away(answer);
			expect(first).to.be.oneOf(['away', 'untrue']);
			expect(next).to.be.oneOf(['away', 'untrue']);
		}
		await provider.close();
		expect(why(await new Browser().go('/sign-in/firm'))).to.equal('away');
		expect(await (await new Browser().get('/sign-in?firm=away')).text()).to.include(
			'Come in with a password of your own'
		);
		await provider.listen();
		expect(why(await come(person))).to.equal(null);
	});

	it('shows again who somebody is, who has no password here', async () => {
		const chiefs = `chiefs ${uuid()}`;
		await map(chiefs, 'administrator', '');
		const person = somebody({ groups: [chiefs] });
		const browser = new Browser();
		await come(person, browser);
		const { id: personId } = await personOf(person);
		const stale = () =>
			unwalled()('session')
				.where({ person_id: personId })
				.update({ confirmed_at: new Date(0) });
		const shown = async () =>
			(
				await unwalled()('session').where({ person_id: personId }).whereNull('revoked_at').first()
			).confirmed_at.getTime() > 0;
		await stale();
		const again = (told: Told) => come(told, browser, '/sign-in/firm?again');
		const there = new URL(await new Browser(browser.cookie).go('/sign-in/firm?again'));
		expect(there.searchParams.get('max_age')).to.equal('0');
		expect(why(await again(somebody({ groups: [chiefs] })))).to.equal('other');
		expect(why(await again({ ...person, auth_time: Math.floor(Date.now() / 1000) - 300 }))).to.equal(
			'untrue'
		);
		expect(await shown()).to.equal(false);
		expect(await again(person)).to.equal('/sign-in/firm/confirmed');
		expect(await shown()).to.equal(true);
		expect(await (await browser.get('/sign-in/firm/confirmed')).text()).to.include('It is you');
	});

	it('can be left as well by whoever signs out here, and only by whom it knows', async () => {
		const browser = new Browser();
		await come(somebody({ groups: [await group('reader')] }), browser);
		const out = await browser.get('/sign-out', 'POST');
		expect(out.headers.get('location')).to.equal('/sign-in?out');
		expect(await (await browser.get('/sign-in?out')).text()).to.include('sign out there too');
		const left = new URL((await browser.get('/sign-in/firm/leave')).headers.get('location')!);
		expect(left.href).to.match(new RegExp(`^${provider.issuer}/out\\?`));
		expect(left.searchParams.get('post_logout_redirect_uri')).to.equal(address('/sign-in'));
		expect(left.searchParams.get('client_id')).to.equal('limen');
		expect(await (await browser.get('/sign-in')).text()).to.not.include('sign out there too');
		const own = await post('/sign-out', {}, {}, await newPerson({ [customer]: 'reader' }));
		expect(own.headers.get('location')).to.equal('/sign-in');
	});

	it('is mapped by administrators alone, each thing once, and unmapped again', async () => {
		const coordinator = await newPerson({ [customer]: 'coordinator' });
		const name = `group ${uuid()}`;
		expect(
			(
				await answerOf(
					await post('/people/groups?/map', { group: name, duty: 'reader', customer: id }, {}, coordinator)
				)
			).type
		).to.equal('error');
		expect((await get('/people/groups', coordinator)).status).to.equal(403);
		expect((await map(name, 'reader')).type).to.equal('success');
		expect(JSON.stringify((await map(name, 'engineer')).data)).to.include('has a duty there already');
		expect(JSON.stringify((await map(name, 'engineer', '')).data)).to.include('At which customer?');
		const mapped = (await unwalled()('firm_group').where({ name }).first()).id;
		const unmap = async () => answerOf(await post('/people/groups?/unmap', { mapped }, {}, administrator));
		expect((await unmap()).type).to.equal('success');
		expect(JSON.stringify((await unmap()).data)).to.include('removed already');
	});
});
