import { expect } from 'chai';
import { v7 as uuid } from 'uuid';
import { createToken, revokeToken, type TokenAct } from '../../../src/lib/server/people';
import {
	address,
	anAdministrator,
	boundUnit,
	customerId,
	doneBy,
	invoke,
	lineOf,
	newLabel,
	newPerson,
	newUnit,
	openPosition,
	report,
	unwalled
} from '../making';

async function newToken(acts: readonly TokenAct[], customer = 'Marlstone Veterinary') {
	const wanted = { name: `program ${uuid()}`, acts, customers: [await customerId(customer)], days: 1 };
	const act = await doneBy(await anAdministrator(), (actor) => createToken(wanted, actor));
	if (!act.ok) throw new Error(act.problem);
	return act.done;
}

const call = (
	token: string,
	method: string,
	path: string,
	body?: unknown,
	headers: Record<string, string> = {}
) =>
	fetch(address(`/api/v1${path}`), {
		method,
		headers: { authorization: `Bearer ${token}`, 'content-type': 'application/json', ...headers },
		body: body === undefined ? null : typeof body === 'string' ? body : JSON.stringify(body)
	});

describe('the interface for programs', () => {
	it('takes a batch in, with each row’s outcome and the step at which it failed; binds; and follows the run', async () => {
		const { token } = await newToken(['see', 'claim', 'bind', 'unbind']);
		const [good, twice] = [newLabel(), newLabel('access-point')];
		const taken = await newUnit('gateway', 'Southfold Physio');
		const text = [lineOf(good), 'rubbish', lineOf(twice), lineOf(twice), lineOf(taken)].join('\n');
		const answer = await call(token, 'POST', '/batches', { customerId: await customerId(), text });
		expect(answer.status).to.equal(201);
		const batch = await answer.json();
		expect(
			batch.rows.map((row: { verdict: string; failedAt: string }) => [row.verdict, row.failedAt])
		).to.deep.equal([
			['claimed', null],
			['malformed', 'reading'],
			['claimed', null],
			['repeated', null],
			['refused', 'claiming']
		]);
		const again = await (await call(token, 'GET', `/batches/${batch.id}`)).json();
		expect(again.counts).to.deep.equal(batch.counts);
		const [{ unitId }] = batch.rows;
		const positionId = await openPosition();
		const bound = await call(token, 'POST', '/bindings', { positionId, unitId });
		expect(bound.status).to.equal(201);
		const { runId } = await bound.json();
		expect(await (await call(token, 'GET', `/runs/${runId}`)).json()).to.include({
			unitId,
			step: 'bound',
			outcome: 'open',
			failure: null
		});
		const entry = await unwalled()('ledger_entry').where({ subject_id: unitId, act: 'bind' }).first();
		expect(entry.actor).to.match(/service token/);
		expect(entry.token_id).to.be.a('string');
		expect((await call(token, 'POST', '/bindings', { positionId, unitId })).status).to.equal(409);
		expect((await call(token, 'DELETE', `/bindings/${positionId}`)).status).to.equal(204);
	});

	it('answers every refusal as a problem, whatever is wrong with the request', async () => {
		const { token } = await newToken(['see', 'claim', 'bind', 'unbind', 'retry']);
		const unit = await boundUnit();
		const upper = unit.runId.toUpperCase();
		expect((await (await call(token, 'GET', `/runs/${upper}`)).json()).id).to.equal(unit.runId);
		const cases: [Promise<Response>, number][] = [
			[call(token, 'GET', '/nothing'), 404],
			[call(token, 'GET', ''), 404],
			[call(token, 'GET', '/runs/not-an-id'), 404],
			[call(token, 'GET', `/runs/${uuid()}`), 404],
			[call(token, 'PUT', '/runs'), 405],
			[call(token, 'DELETE', '/batches'), 405],
			[call(token, 'POST', '/batches', '{', { 'content-type': 'application/json' }), 400],
			[call(token, 'POST', '/batches', '{}', { 'content-type': 'text/plain' }), 415],
			[call(token, 'POST', '/batches', 'a=b', { 'content-type': 'application/x-www-form-urlencoded' }), 415],
			[call(token, 'POST', '/batches', { customerId: 'x', text: '' }), 400],
			[call(token, 'POST', '/batches', { customerId: await customerId(), text: 'a\0b' }), 422],
			[call(token, 'GET', '/runs?limit=0'), 400],
			[call(token, 'GET', '/runs?after=x'), 400],
			[call(token, 'POST', `/positions/${unit.positionId}/retry`), 409],
			[call('limen_nothing', 'GET', '/runs'), 401],
			[fetch(address('/api/v1/runs')), 401],
			[fetch(address('/api/v2'), { headers: { authorization: `Bearer ${token}` } }), 404]
		];
		const documented = (await (await fetch(address('/api/v1/openapi.json'))).json()) as {
			paths: Record<string, Record<string, { responses: object }>>;
		};
		for (const [asked, status] of cases) {
			const answer = await asked;
			expect(answer.status, answer.url).to.equal(status);
			expect(answer.headers.get('content-type'), answer.url).to.equal('application/problem+json');
			expect(await answer.json()).to.include({ type: 'about:blank', status });
			expect(documented.paths['/api/v1/batches']!.post!.responses).to.have.property(String(status));
		}
		expect((await call(token, 'PUT', '/runs')).headers.get('allow')).to.match(/GET/);
	});

	it('lets a failed unit try again', async () => {
		const { token } = await newToken(['retry']);
		const unit = await boundUnit();
		await invoke('get-bootstrapping-data', unit);
		await report(unit, 'config-error', { message: 'line 1: no' });
		const again = await call(token, 'POST', `/positions/${unit.positionId}/retry`);
		expect(again.status).to.equal(201);
		expect(await again.json()).to.include({ positionId: unit.positionId, unitId: unit.unitId });
	});

	it('works a request with a key once, however often and however fast it is sent', async () => {
		const { token } = await newToken(['claim']);
		const body = {
			customerId: await customerId(),
			text: Array.from({ length: 20 }, () => lineOf(newLabel())).join('\n')
		};
		const before = await unwalled()('batch').count();
		const key = { 'idempotency-key': uuid() };
		const answers = await Promise.all(
			Array.from({ length: 6 }, () => call(token, 'POST', '/batches', body, key))
		);
		const done = answers.filter(({ status }) => status === 201);
		// One that is being worked is asked for again, which its program can tell from a refusal
		for (const { status, headers } of answers)
			expect([status, headers.get('retry-after')]).to.be.deep.oneOf([
				[201, null],
				[409, '1']
			]);
		expect(done.length).to.be.at.least(1);
		const last = await call(token, 'POST', '/batches', body, key);
		expect(last.headers.get('idempotency-replayed')).to.equal('true');
		expect(await last.json()).to.deep.equal(await done[0]!.json());
		expect(Number((await unwalled()('batch').count())[0]!.count)).to.equal(Number(before[0]!.count) + 1);
		expect((await call(token, 'POST', '/batches', { ...body, text: 'other' }, key)).status).to.equal(422);
	});

	it('answers for what was done when its process ended before the answer was kept', async () => {
		const { token } = await newToken(['see', 'claim', 'bind', 'unbind', 'retry', 'prove']);
		const asked = await customerId();
		const told = (act: string) => unwalled()('ledger_entry').where({ act, customer_id: asked }).count();
		/** Asks, loses what was kept of the answer as an end of the process would, and asks the same again. */
		const askedTwice = async (act: string, method: string, path: string, body?: object) => {
			const key = uuid();
			const ask = () => call(token, method, path, body, { 'idempotency-key': key });
			const first = await ask();
			const before = await told(act);
			await unwalled()('idempotency').where({ key }).update({ status: null, body: null });
			const again = await ask();
			expect(again.status, `${act}: ${first.status}`).to.equal(first.status).and.below(300);
			expect(again.headers.get('idempotency-replayed')).to.equal('true');
			expect(await told(act), act).to.deep.equal(before);
			const [was, is, stays] = await Promise.all(
				[first, again, await ask()].map(async (one) => JSON.parse((await one.text()) || 'null'))
			);
			expect(stays).to.deep.equal(is);
			return [was, is];
		};
		const label = newLabel();
		const text = lineOf(label);
		const [batch, batchAgain] = await askedTwice('claim', 'POST', '/batches', { customerId: asked, text });
		expect(batchAgain).to.deep.include({ id: batch.id, counts: batch.counts, outcomes: batch.outcomes });
		expect(batchAgain.rows).to.deep.equal(batch.rows);
		const [{ unitId }] = batch.rows;
		const positionId = await openPosition();
		const { site_id: site } = await unwalled()('position').where({ id: positionId }).first('site_id');
		const [bound, boundAgain] = await askedTwice('bind', 'POST', '/bindings', { positionId, unitId });
		expect(boundAgain).to.deep.equal(bound);
		await invoke('get-bootstrapping-data', label);
		await report(label, 'config-error', { message: 'line 1: no' });
		const [retried, retriedAgain] = await askedTwice('retry', 'POST', `/positions/${positionId}/retry`);
		expect(retriedAgain).to.deep.equal(retried);
		const [proven, provenAgain] = await askedTwice('prove site', 'POST', `/sites/${site}/proof`);
		expect(provenAgain).to.deep.equal(proven);
		await askedTwice('unbind', 'DELETE', `/bindings/${positionId}`);
		expect(await unwalled()('binding').where({ position_id: positionId })).to.be.empty;
	});

	it('binds what a list names and was not bound when its process ended, and nothing twice', async () => {
		const { token } = await newToken(['see', 'claim', 'bind', 'unbind']);
		const rows = await Promise.all(
			[1, 2].map(async () => ({ label: newLabel(), positionId: await openPosition() }))
		);
		const named: { id: string; site: string }[] = await unwalled()('position')
			.join('site', 'site.id', 'site_id')
			.whereIn(
				'position.id',
				rows.map(({ positionId }) => positionId)
			)
			.select('position.id', 'site.name as site');
		const siteOf = (positionId: string) => named.find(({ id }) => id === positionId)!.site;
		const text = [
			'serial,claim code,site,position',
			...rows.map(({ label, positionId }) => `${label.serial},${label.claimCode},${siteOf(positionId)},gw-1`)
		].join('\n');
		const key = uuid();
		const ask = async () =>
			(
				await call(
					token,
					'POST',
					'/batches',
					{ customerId: await customerId(), text },
					{ 'idempotency-key': key }
				)
			).json();
		const first = await ask();
		const [takenAway, unfinished] = first.rows.map(({ unitId }: { unitId: string }) => unitId);
		expect(first.rows.map(({ binding }: { binding: { ok: boolean } }) => binding.ok)).to.deep.equal([
			true,
			true
		]);
		// As if its process had ended before the second was bound; the first is taken away by somebody meanwhile
		for (const { positionId } of rows)
			expect((await call(token, 'DELETE', `/bindings/${positionId}`)).status).to.equal(204);
		await unwalled()('idempotency_done').where({ key, act: 'bind', subject_id: unfinished }).delete();
		await unwalled()('idempotency').where({ key }).update({ status: null, body: null });
		const again = await ask();
		expect(again).to.deep.include({ id: first.id, counts: first.counts });
		expect(again.rows[0].binding).to.include({ ok: true });
		expect(again.rows[0].binding.words).to.match(/bound to gw-1/);
		expect(again.rows[1]).to.deep.equal(first.rows[1]);
		const bound = await unwalled()('binding').whereIn('unit_id', [takenAway, unfinished]).pluck('unit_id');
		expect(bound).to.deep.equal([unfinished]);
	});

	it('works a request anew that was refused, or had done nothing, when its process ended', async () => {
		const { token } = await newToken(['bind']);
		const [{ unitId }, positionId] = [await newUnit(), uuid()];
		const key = { 'idempotency-key': uuid() };
		const ask = () => call(token, 'POST', '/bindings', { positionId, unitId }, key);
		expect((await ask()).status).to.equal(409);
		await unwalled()('idempotency')
			.where({ key: key['idempotency-key'] })
			.update({ status: null, body: null });
		const again = await ask();
		expect(again.status).to.equal(409);
		expect(again.headers.get('idempotency-replayed')).to.equal(null);
	});

	it('gives lists a page at a time, neither twice nor left out', async () => {
		await Promise.all([boundUnit(), boundUnit(), boundUnit()]);
		const { token } = await newToken(['see']);
		const seen: string[] = [];
		let after = '';
		do {
			const { items, next } = await (await call(token, 'GET', `/runs?limit=2${after}`)).json();
			seen.push(...items.map(({ id }: { id: string }) => id));
			after = next ? `&after=${next}` : '';
		} while (after);
		const all = await unwalled()('run')
			.where({ customer_id: await customerId() })
			.orderBy('id')
			.pluck('id');
		expect(seen).to.deep.equal(all);
	});

	it('answers what is wrong as a problem (RFC 9457), never as a failure of its own', async () => {
		const { token } = await newToken(['see', 'claim']);
		const wrong: [method: string, path: string, body: unknown, status: number][] = [
			['POST', '/batches', '{', 400],
			['POST', '/batches', '[]', 400],
			['POST', '/batches', { customerId: 'x', text: '' }, 400],
			['POST', '/batches', { customerId: uuid(), text: lineOf(newLabel()) }, 422],
			['POST', '/bindings', { positionId: uuid(), unitId: uuid() }, 403],
			['GET', `/runs/${uuid()}`, undefined, 404],
			['GET', '/runs?limit=1000', undefined, 400],
			['GET', '/runs?after=x', undefined, 400],
			['GET', '/units?serial=%F0%9F%98%80', undefined, 200]
		];
		for (const [method, path, body, status] of wrong) {
			const answer = await call(token, method, path, body);
			expect(answer.status, `${method} ${path}`).to.equal(status);
			if (status < 400) continue;
			expect(answer.headers.get('content-type')).to.match(/^application\/problem\+json/);
			expect(await answer.json())
				.to.include({ status })
				.and.to.include.keys('title', 'detail');
		}
		const form = await call(token, 'POST', '/batches', 'a=b', {
			'content-type': 'application/x-www-form-urlencoded'
		});
		expect(form.status).to.be.oneOf([403, 415]);
	});

	it('lets in only a token that is good, and shows when it was last used', async () => {
		const { id, token } = await newToken(['see']);
		expect((await call(token, 'GET', '/runs')).status).to.equal(200);
		const { last_used_at, token_hash } = await unwalled()('service_token').where({ id }).first();
		expect(last_used_at).to.be.instanceOf(Date);
		expect(token_hash.toString('utf8')).to.not.include(token);
		for (const other of ['', 'limen_x', token.slice(0, -1), token.toUpperCase(), `${token}'--`])
			expect((await call(other, 'GET', '/runs')).status, other).to.equal(401);
		const person = await newPerson('administrator');
		expect((await fetch(address('/api/v1/runs'), { headers: { cookie: person.cookie } })).status).to.equal(
			401
		);
		await doneBy(person, (actor) => revokeToken(id, actor));
		expect((await call(token, 'GET', '/runs')).status).to.equal(401);
	});

	it('describes itself: every path that is there, and every schema that is named', async () => {
		const document = await (await fetch(address('/api/v1/openapi.json'))).json();
		expect(document.openapi).to.match(/^3\.1/);
		const text = JSON.stringify(document);
		for (const [, name] of text.matchAll(/#\/components\/schemas\/(\w+)/g))
			expect(document.components.schemas, name).to.have.property(name!);
		expect(document.components.schemas.BatchWanted).to.deep.include({
			type: 'object',
			required: ['customerId', 'text']
		});
		const { token } = await newToken(['see', 'see renderings', 'claim', 'bind', 'unbind', 'retry', 'prove']);
		const ofTheTrade = Object.entries(document.paths as Record<string, object>).filter(
			([path]) => !/^\/api\/v1\/(pages|acts)(\/|$)/.test(path)
		);
		for (const [path, operations] of ofTheTrade)
			for (const method of Object.keys(operations)) {
				const answer = await call(
					token,
					method.toUpperCase(),
					path.replace('/api/v1', '').replace(/\{\w+\}/, uuid()),
					method === 'post' ? {} : undefined
				);
				expect(answer.status, `${method} ${path}`).to.be.oneOf([200, 400, 404, 409]);
			}
	});
});
