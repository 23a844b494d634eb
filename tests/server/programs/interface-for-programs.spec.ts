import { Validator } from '@seriousme/openapi-schema-validator';
import { expect } from 'chai';
import { v7 as uuid } from 'uuid';
import {
	address,
	answerOf,
	boundUnit,
	customerId,
	customerLike,
	lineOf,
	newLabel,
	newPerson,
	openPosition,
	PASSWORD,
	post,
	unwalled,
	type TestPerson
} from '../making';
import { siteForm } from '../plan/pattern-making';

interface Operation {
	readonly operationId?: string;
	readonly parameters: readonly { readonly name: string; readonly in: string }[];
	readonly requestBody?: {
		readonly content: Record<string, { readonly schema: { readonly properties?: Record<string, object> } }>;
	};
}
interface Document {
	readonly openapi: string;
	readonly paths: Readonly<Record<string, Readonly<Record<string, Operation>>>>;
}

/** A program that knows where the description is, and nothing else. */
class Program {
	document!: Document;
	constructor(private readonly token: string) {}
	async begin(): Promise<this> {
		this.document = await (await fetch(address('/api/v1/openapi.json'))).json();
		return this;
	}
	/** Asks an operation by its name, as the description says. */
	async ask(
		operationId: string,
		parameters: Record<string, string> = {},
		body?: object,
		headers: Record<string, string> = {}
	) {
		for (const [path, methods] of Object.entries(this.document.paths))
			for (const [method, operation] of Object.entries(methods))
				if (operation.operationId === operationId) return this.send(method, path, parameters, body, headers);
		throw new Error(`The description has no ${operationId}.`);
	}
	async send(
		method: string,
		path: string,
		parameters: Record<string, string>,
		body?: object,
		headers: Record<string, string> = {}
	) {
		const left = { ...parameters };
		const filled = path.replace(/\{(\w+)\}/g, (_, name: string) => {
			const value = left[name] ?? uuid();
			delete left[name];
			return encodeURIComponent(value);
		});
		const query = new URLSearchParams(left).toString();
		return fetch(address(`${filled}${query ? `?${query}` : ''}`), {
			method: method.toUpperCase(),
			headers: {
				authorization: `Bearer ${this.token}`,
				...(body && { 'content-type': 'application/json' }),
				...headers
			},
			body: body ? JSON.stringify(body) : null
		});
	}
}

async function tokenOf(person: TestPerson, more: Record<string, string> = {}): Promise<string> {
	const fields = { name: 'A program', days: '1', confirm_password: PASSWORD, ...more };
	const { data } = await answerOf(await post('/account?/token', fields, {}, person));
	return String(data!.personalToken);
}
const programOf = async (person: TestPerson, more?: Record<string, string>) =>
	new Program(await tokenOf(person, more)).begin();

describe('the interface, for programs', () => {
	let customer: string;
	let customerKey: string;
	let engineer: TestPerson;
	beforeEach(async () => {
		customer = await customerLike('Marlstone Veterinary');
		customerKey = await customerId(customer);
		engineer = await newPerson({ [customer]: 'engineer' });
	});

	it('is described by a document that a reader of OpenAPI finds valid, and that tells what is in every field', async () => {
		const { document } = await programOf(engineer);
		const { valid, errors } = await new Validator().validate({ ...document });
		expect(valid, JSON.stringify(errors)).to.equal(true);
		const untold = Object.entries(document.paths).flatMap(([path, { post: act }]) =>
			Object.entries(act?.requestBody?.content['application/json']?.schema.properties ?? {}).flatMap(
				([field, schema]) => (Object.keys(schema).length === 0 ? [`${field} of ${path}`] : [])
			)
		);
		expect(untold.join('\n')).to.equal('');
	});

	it('describes a form that is composed of others as each of the forms that it can be', async () => {
		const { document } = await programOf(engineer);
		const { anyOf } = document.paths['/api/v1/acts/units/rollout']!.post!.requestBody!.content[
			'application/json'
		]!.schema as { anyOf: readonly { properties: object; additionalProperties: boolean }[] };
		expect(anyOf.map(({ properties }) => Object.keys(properties).sort())).to.deep.equal([
			['all', 'asked', 'kind', 'reason'],
			['asked', 'kind', 'reason', 'unit']
		]);
		expect(anyOf.map(({ additionalProperties }) => additionalProperties)).to.deep.equal([false, false]);
	});

	it('is about the customer that a program says, and about no other when that is not theirs to see', async () => {
		const program = await programOf(engineer);
		const other = await customerLike('Southfold Physio');
		const rule = { reads: 'weekly', keepVersions: '50', keepDays: '730', holdAnHour: '6' };
		const ruled = (headers: Record<string, string>) =>
			program.ask('act.upkeep.archive.rule', {}, rule, headers);
		const unsaid = await ruled({});
		expect(unsaid.status).to.equal(409);
		expect((await unsaid.json()).detail).to.equal('Choose a customer first.');
		expect((await ruled({ 'limen-customer': await customerId(other) })).status).to.equal(404);
		expect((await ruled({ 'limen-customer': 'all of them' })).status).to.equal(404);
		const key = { 'idempotency-key': uuid() };
		const done = await ruled({ ...key, 'limen-customer': customerKey });
		expect(done.status, await done.clone().text()).to.equal(200);
		const [kept] = await unwalled()('upkeep_rule').where({ customer_id: customerKey });
		expect(kept.reads).to.equal('weekly');
		expect((await ruled({ ...key, 'limen-customer': customerKey })).status).to.equal(200);
		expect((await ruled(key)).status, 'the same key, about all customers').to.not.equal(200);
	});

	it('takes what a field holds as it is described: a list of values, a block of addresses, a file', async () => {
		const program = await programOf(engineer);
		const positionId = await openPosition('gateway', customer);
		const valueNow = async (): Promise<string> =>
			(await unwalled()('position').where({ id: positionId }).first('values')).values.hostname;
		const change = {
			positionId,
			field: 'hostname',
			target: 'position',
			was: await valueNow(),
			now: 'by-a-program'
		};
		const saved = await program.ask('act.values.save', {}, { changes: [change] });
		expect(saved.status, await saved.clone().text()).to.equal(200);
		expect(await valueNow()).to.equal('by-a-program');
		const pool = { customer: customerKey, name: 'By a program', field: 'networks', scope: 'site' };
		const made = await program.ask(
			'act.addresses.make',
			{},
			{ ...pool, block: '10.77.0.0/16', length: '22' }
		);
		expect(made.status, await made.clone().text()).to.equal(200);
		const file = { name: 'values.csv', base64: Buffer.from('site,position\n').toString('base64') };
		const profile = await unwalled()('profile').where({ name: 'Clinic gateway' }).first('id');
		const compared = await program.ask('act.values.compare', { profile: profile.id }, { file });
		expect(compared.status, await compared.clone().text()).to.equal(200);
	});

	it('has every act and page in its description, and answers each in words', async () => {
		const program = await programOf(await newPerson('administrator'), { interrupts: 'on' });
		const acts = Object.entries(program.document.paths).filter(([path]) => path.startsWith('/api/v1/acts'));
		const pages = Object.entries(program.document.paths).filter(([path]) => path.startsWith('/api/v1/pages'));
		expect(acts.length).to.be.greaterThan(200);
		expect(pages.length).to.be.greaterThan(100);
		expect(program.document.openapi).to.equal('3.1.0');
		const names = Object.values(program.document.paths).flatMap((methods) =>
			Object.values(methods).flatMap(({ operationId }) => operationId ?? [])
		);
		expect(names).to.have.length(new Set(names).size);
		for (const [path] of acts) {
			// With an empty form: it is refused in words, or was nothing to be asked for
			const answer = await program.send('post', path, {}, {});
			expect(answer.status, path).to.be.lessThan(500);
			const told = await answer.text();
			expect(answer.headers.get('content-type'), path).to.match(/json/);
			expect(told, path).to.not.contain('There is nothing at this address');
		}
		for (const [path] of pages) {
			const answer = await program.send('get', path, {});
			await answer.arrayBuffer();
			expect(answer.status, path).to.be.lessThan(500);
		}
		// What is written out goes before what is not: this is no maker
		expect((await program.ask('file.profiles.makers.schema')).status).to.equal(200);
	}).timeout(300_000);

	it('lets a program plan a site, take a unit in, bind it, and give values, as the person whose token it has', async () => {
		const program = await programOf(engineer);
		const planned = await program.ask(
			'act.sites.new.plan',
			{},
			{ ...(await siteForm('Wharf of a program')), customer: customerKey, pattern: 'none' }
		);
		const told = await planned.json();
		expect(planned.status, JSON.stringify(told)).to.equal(200);
		const site = String(told.goes).split('/').at(-1)!;
		const page = await (await program.ask('page.sites.id', { id: site })).json();
		expect(page.site.name).to.equal('Wharf of a program');
		const profile = await unwalled()('profile').where({ name: 'Clinic gateway' }).first('id');
		const added = await program.ask('act.sites.id.plan', { id: site }, { name: 'gw-1', profile: profile.id });
		expect(added.status, await added.clone().text()).to.equal(200);
		const label = newLabel();
		const claimed = await program.ask('act.intake.claim', {}, { customer: customerKey, text: lineOf(label) });
		expect(claimed.status, await claimed.clone().text()).to.equal(200);
		const unit = await unwalled()('unit').where({ serial: label.serial }).first();
		const position = await unwalled()('position').where({ site_id: site }).first();
		const bound = await program.ask(
			'act.sites.id.bind',
			{ id: site },
			{ position: position.id, unit: unit.id }
		);
		expect(bound.status, await bound.clone().text()).to.equal(200);
		const entries = await unwalled()('ledger_entry')
			.where({ customer_id: customerKey })
			.orderBy('id')
			.select('actor', 'act');
		expect(entries.map(({ actor }) => actor)).to.include(`${engineer.name} (A program)`);
	});

	it('says what is wrong field by field, works a request once by its key, and shows nothing of other customers', async () => {
		const program = await programOf(engineer);
		const wrong = await program.ask('act.sites.connectors.save', {}, { name: '', customer: customerKey });
		expect(wrong.status).to.equal(400);
		expect(wrong.headers.get('content-type')).to.contain('application/problem+json');
		expect((await wrong.json()).fields).to.have.property('name');
		const misspelt = await program.ask('act.sites.connectors.save', {}, { nmae: 'x', customer: customerKey });
		expect(misspelt.status).to.equal(400);
		expect((await misspelt.json()).detail).to.match(/^This act has no field “nmae”\. Its fields: .*\bname\b/);
		const broken = await fetch(address('/api/v1/acts/sites/connectors/save'), {
			method: 'POST',
			headers: {
				authorization: `Bearer ${await tokenOf(engineer)}`,
				'content-type': 'multipart/form-data; boundary=x'
			},
			body: '--y\r\nno form\r\n'
		});
		expect(broken.status, await broken.text()).to.equal(400);
		const once = { 'idempotency-key': uuid() };
		const form = { name: 'Once', customer: customerKey, kind: 'sites', url: 'https://x.example/' };
		const first = await (await program.ask('act.sites.connectors.save', {}, form, once)).json();
		const again = await program.ask('act.sites.connectors.save', {}, form, once);
		expect(await again.json()).to.deep.equal(first);
		// As if its process had ended before the answer was kept
		const { rowCount } = await unwalled().raw(
			'update idempotency set status = null, body = null where key = ?',
			[once['idempotency-key']]
		);
		expect(rowCount).to.equal(1);
		const later = await program.ask('act.sites.connectors.save', {}, form, once);
		expect(later.status).to.equal(200);
		expect((await later.json()).said).to.equal('The connector “Once” reads x.example.');
		expect(await unwalled()('connector').where({ customer_id: customerKey })).to.have.length(1);
		const theirs = await unwalled()('site').whereNot({ customer_id: customerKey }).first('id');
		expect((await program.ask('page.sites.id', { id: theirs.id })).status).to.equal(404);
		expect((await program.ask('act.people.webhooks.save', {}, { name: 'x' })).status).to.equal(403);
		const customers = await (await program.send('get', '/api/v1/customers', {})).json();
		expect(customers.items.map(({ id }: { id: string }) => id)).to.deep.equal([customerKey]);
	});

	it('interrupts nobody without a token that was made for it, and ends with its token, or its person', async () => {
		const timid = await programOf(engineer);
		const bold = await programOf(engineer, { name: 'A bold one', interrupts: 'on' });
		const { unitId: unit } = await boundUnit('gateway', customer);
		const refused = await timid.ask('act.units.id.restart', { id: unit }, { reason: 'x' });
		const answered = await bold.ask('act.units.id.restart', { id: unit }, { reason: 'x' });
		expect(refused.status).to.equal(403);
		expect((await refused.json()).detail).to.contain('may not do what interrupts');
		expect(answered.status).to.not.equal(403);
		const { id } = await unwalled()('personal_token')
			.where({ person_id: engineer.id, name: 'A program' })
			.first('id');
		await post('/account?/endToken', { token: id }, {}, engineer);
		expect((await timid.ask('page.sites')).status).to.equal(401);
		expect((await bold.ask('page.sites')).status).to.equal(200);
		await unwalled()('person').where({ id: engineer.id }).update({ disabled_at: new Date() });
		expect((await bold.ask('page.sites')).status).to.equal(401);
		// Let in again, they make new ones
		await unwalled()('person').where({ id: engineer.id }).update({ disabled_at: null });
		expect((await bold.ask('page.sites')).status).to.equal(401);
	});

	it('asks who it is before a token is made, keeps no token, and lets a token make none', async () => {
		await unwalled()('session')
			.where({ person_id: engineer.id })
			.update({ confirmed_at: new Date(0) });
		const asked = await answerOf(await post('/account?/token', { name: 'x', days: '1' }, {}, engineer));
		expect(asked.status).to.equal(403);
		const token = await tokenOf(engineer);
		expect(token).to.match(/^limen_me_/);
		expect(
			JSON.stringify(await unwalled()('personal_token').where({ person_id: engineer.id }))
		).to.not.contain(token);
		const program = await new Program(token).begin();
		expect(Object.keys(program.document.paths).join()).to.not.contain('/account');
		expect(
			(await program.send('post', '/api/v1/acts/account/token', {}, { name: 'x', days: 1 })).status
		).to.equal(404);
		for (const path of ['/sites', '/account', '/'])
			expect(
				(await fetch(address(path), { headers: { authorization: `Bearer ${token}` }, redirect: 'manual' }))
					.status
			).to.be.oneOf([303, 401]);
	});
});
