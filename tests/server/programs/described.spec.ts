import { Ajv2020 } from 'ajv/dist/2020.js';
import { expect } from 'chai';
import { v7 as uuid } from 'uuid';
import { createToken, type TokenAct } from '../../../src/lib/server/people';
import {
	address,
	anAdministrator,
	boundUnit,
	customerId,
	doneBy,
	lineOf,
	newLabel,
	openPosition,
	report,
	invoke,
	unwalled
} from '../making';

interface Operation {
	readonly responses: Readonly<Record<string, { content?: Record<string, { schema: object }> }>>;
}
interface Description {
	readonly paths: Readonly<Record<string, Readonly<Record<string, Operation>>>>;
}
const ACTS: readonly TokenAct[] = ['see', 'see renderings', 'claim', 'bind', 'unbind', 'retry', 'prove'];

describe('the things of the trade, for programs', () => {
	let token: string;
	let description: Description;
	const ajv = new Ajv2020({ strict: false, validateFormats: false, allErrors: true });
	const asked = new Set<string>();

	before(async () => {
		const wanted = { name: `program ${uuid()}`, acts: ACTS, customers: [await customerId()], days: 1 };
		const act = await doneBy(await anAdministrator(), (actor) => createToken(wanted, actor));
		if (!act.ok) throw new Error(act.problem);
		token = act.done.token;
		description = (await (await fetch(address('/api/v1/openapi.json'))).json()) as Description;
		ajv.addSchema(description, 'api');
	});

	/** Asks, and holds what comes back against what is described for it. */
	async function ask(method: string, path: string, ids: Record<string, string> = {}, body?: object) {
		asked.add(`${method} ${path}`);
		const operation = description.paths[`/api/v1${path}`]![method.toLowerCase()]!;
		const answer = await fetch(
			address(`/api/v1${path.replace(/\{(\w+)\}/g, (_, name: string) => ids[name]!)}`),
			{
				method,
				headers: { authorization: `Bearer ${token}`, 'content-type': 'application/json' },
				body: body ? JSON.stringify(body) : null
			}
		);
		const text = await answer.text();
		expect(operation.responses, `${method} ${path}: ${text}`).to.have.property(String(answer.status));
		const type = answer.headers.get('content-type')?.split(';')[0] ?? '';
		const { content } = operation.responses[String(answer.status)]!;
		if (content) {
			const at = `#/paths/${`/api/v1${path}`.replaceAll('/', '~1')}/${method.toLowerCase()}/responses/${answer.status}/content/${type.replaceAll('/', '~1')}/schema`;
			const isValid = ajv.compile({ $ref: `api${encodeURI(at)}` });
			expect(isValid(JSON.parse(text)), `${method} ${path}: ${ajv.errorsText(isValid.errors)} in ${text}`).to
				.be.true;
		} else expect(text, `${method} ${path}`).to.equal('');
		return { status: answer.status, body: text === '' ? null : JSON.parse(text) };
	}

	it('answer with what is described, each of them, also where they refuse', async () => {
		const customer = await customerId();
		const label = newLabel();
		const text = [lineOf(label), 'rubbish', lineOf(label)].join('\n');
		const { status, body: batch } = await ask('POST', '/batches', {}, { customerId: customer, text });
		expect(status, JSON.stringify(batch)).to.equal(201);
		await ask('GET', '/batches/{id}', { id: batch.id });
		const position = await openPosition();
		const binding = { positionId: position, unitId: batch.rows[0].unitId };
		const { body: bound } = await ask('POST', '/bindings', {}, binding);
		await ask('GET', '/runs/{id}', { id: bound.runId });
		await invoke('get-bootstrapping-data', label);
		await report(label, 'config-error', { message: 'line 1: no' });
		expect((await ask('POST', '/positions/{id}/retry', { id: position })).status).to.equal(201);
		const { site_id: site } = await unwalled()('position').where({ id: position }).first('site_id');
		expect((await ask('POST', '/sites/{id}/proof', { id: site })).status).to.equal(201);
		for (const of of ['proof', 'reachability', 'rehearsal'])
			expect((await ask('GET', `/sites/{id}/${of}`, { id: site })).status, of).to.equal(200);
		for (const list of [
			'units',
			'positions',
			'customers',
			'profiles',
			'runs',
			'alerts',
			'sites',
			'handovers'
		])
			expect((await ask('GET', `/${list}`)).status, list).to.equal(200);
		expect((await ask('DELETE', '/bindings/{position}', { position })).status).to.equal(204);

		const nobody = uuid();
		await ask('POST', '/batches', {}, { customerId: nobody, text });
		await ask('POST', '/bindings', {}, { positionId: nobody });
		await ask('POST', '/bindings', {}, { positionId: nobody, unitId: (await boundUnit()).unitId });
		await ask('DELETE', '/bindings/{position}', { position });
		await ask('POST', '/positions/{id}/retry', { id: nobody });
		await ask('POST', '/sites/{id}/proof', { id: nobody });
		for (const path of [
			...['proof', 'reachability', 'rehearsal'].map((of) => `/sites/{id}/${of}`),
			...['/runs/{id}', '/batches/{id}']
		])
			expect((await ask('GET', path, { id: nobody })).status, path).to.equal(404);
		// All that is described, but files, was asked for
		const described = Object.entries(description.paths)
			.filter(([path]) => !/^\/api\/v1\/(pages|acts)(\/|$)|\{file\}/.test(path))
			.flatMap(([path, of]) => Object.keys(of).map((method) => `${method.toUpperCase()} ${path.slice(7)}`));
		expect([...asked].sort()).to.deep.equal(described.sort());
	});
});
