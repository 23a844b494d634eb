import { expect } from 'chai';
import type { StandingCounts } from '../../../src/core/onboarding';
import fc from 'fast-check';
import { unbindUnit } from '../../../src/lib/server/binding';
import {
	ACTOR,
	anAdministrator,
	boundUnit,
	customerId,
	get,
	invoke,
	newUnit,
	openPosition,
	post,
	report,
	unwalled
} from '../making';

describe('pages', () => {
	it('are there, and say so plainly when something is not', async () => {
		const unit = await boundUnit();
		const site = (await unwalled()('position').where({ id: unit.positionId }).first('site_id')).site_id;
		const profile = (await unwalled()('profile').first('id')).id;
		for (const path of [
			'/',
			'/intake',
			'/sites',
			`/sites/${site}`,
			`/sites/${site}?position=nonsense`,
			'/profiles',
			`/profiles/${profile}`,
			`/profiles/${profile}?revision=99`,
			'/arrivals',
			'/arrivals?at=nonsense',
			`/units/${unit.unitId}`,
			'/upkeep',
			'/upkeep/health?span=nonsense&from=1&to=9e99',
			`/units/${unit.unitId}/health?from=5&to=4`,
			`/units/${unit.unitId}/health?span=year&as=table`,
			`/units/${unit.unitId}/health/file?as=xlsx`,
			`/sites/${site}/health?figure=constructor`,
			'/upkeep/alerts/rules?try=%7B&customer=x',
			'/records',
			'/records?before=nonsense',
			'/find',
			'/find?q=%ff',
			'/arrivals/rows?after=nonsense',
			'/arrivals/rows?after=00000000-0000-0000-0000-000000000000'
		])
			expect((await get(path)).status, path).to.equal(200);
		for (const path of [
			'/units/1',
			'/sites/00000000-0000-7000-8000-000000000000',
			'/profiles/x',
			'/nothing',
			'/restconf/nothing',
			'/images/a/b'
		])
			expect((await get(path)).status, path).to.equal(404);
		for (const path of ['/find?q=%00', '/records?act=%00', '/sites?q=a%00', '/images/%00/1'])
			expect((await get(path)).status, path).to.equal(400);
	});

	it('find what fits a word alone by going there, and list what more than one fits', async () => {
		const unit = await boundUnit();
		const { site_id: site } = await unwalled()('position').where({ id: unit.positionId }).first('site_id');
		await unwalled()('site').where({ id: site }).update({ name: 'Quokkaville rooms' });
		const whereTo = async (words: string) => {
			const answer = await get(`/find?q=${encodeURIComponent(words)}`);
			return answer.headers.get('location') ?? answer.status;
		};
		expect(await whereTo('quokkavil')).to.equal(`/sites/${site}`);
		expect(await whereTo(unit.mac)).to.equal(`/units/${unit.unitId}`);
		const other = await boundUnit();
		const beside = await unwalled()('position').where({ id: other.positionId }).first('site_id');
		await unwalled()('site').where({ id: beside.site_id }).update({ name: 'Quokkaville clinic' });
		expect(await whereTo('quokkavil')).to.equal(200);
		expect(await whereTo('quokkaville clin')).to.equal(`/sites/${beside.site_id}`);
		expect(await whereTo('nobody at all')).to.equal(200);
	});

	it('say what a site’s network has to, also where that reaches Limen in another way', async () => {
		const unit = await boundUnit();
		const site = (await unwalled()('position').where({ id: unit.positionId }).first('site_id')).site_id;
		const told = async (at: string) =>
			(await get(`/sites/${site}/network?at=${encodeURIComponent(at)}`)).text();
		expect(await told('limen.branch.example')).to.include('https://limen.branch.example:');
		expect(await told('2001:db8::7')).to.include('https://[2001:db8::7]:');
		for (const nothing of ['a b', '-x', 'x;y', '<b>', 'a..b', 'x'.repeat(300)]) {
			const page = await told(nothing);
			expect(page, nothing).to.include('That is neither an address nor a host name.');
			expect(page, nothing).to.not.include(`https://${nothing}:`);
		}
	});

	it('carry the usual headers', async () => {
		const { headers } = await get('/');
		expect(headers.get('x-content-type-options')).to.equal('nosniff');
		expect(headers.get('x-frame-options')).to.equal('DENY');
	});

	it('refuse a form that comes from another origin', async () => {
		expect((await post('/sites/x?/bind', {}, { origin: 'http://elsewhere.example' })).status).to.equal(403);
	});

	it('never fail inside on hostile forms', async () => {
		const unit = await newUnit();
		const actions = [
			'/?/retry',
			'/arrivals?/retry',
			'/intake?/claim',
			`/units/${unit.unitId}?/bind`,
			`/units/${unit.unitId}?/unbind`,
			`/units/${unit.unitId}?/code`
		];
		const value = fc.oneof(
			fc.string({ unit: 'binary', maxLength: 40 }),
			fc.constantFrom(
				'',
				'[object Object]',
				'00000000-0000-7000-8000-000000000000',
				"' or 1=1 --",
				'{{ 1 }}',
				'\u0000'
			)
		);
		await fc.assert(
			fc.asyncProperty(
				fc.constantFrom(...actions),
				fc.record({
					position: value,
					unit: value,
					customer: value,
					text: value,
					code: value,
					line: value,
					version: value,
					file: value
				}),
				async (action, fields) => {
					const response = await post(action, fields);
					const { status } = (await response.json()) as { status: number };
					expect(status, action).to.be.within(200, 499);
				}
			),
			{ numRuns: 120 }
		);
	});

	it('do not lead away from the application', async () => {
		for (const back of ['//elsewhere.example', 'http://elsewhere.example/', 'javascript:alert(1)'])
			expect((await post('/customer', { customer: '', back })).headers.get('location')).to.equal('/');
		const chosen = await post('/customer', { customer: await customerId(), back: '/sites?q=a' });
		expect(chosen.headers.get('location')).to.equal('/sites?q=a');
		expect(chosen.headers.get('set-cookie')).to.match(/^customer=.*SameSite=Lax/i);
	});

	it('mask what is secret before it leaves the server', async () => {
		const position = await openPosition('access-point');
		const site = (await unwalled()('position').where({ id: position }).first('site_id')).site_id;
		const page = await get(`/sites/${site}?position=${position}`).then((answer) => answer.text());
		expect(page).to.include('marlstone-staff').and.not.include('hayloft-lantern-otter');
	});

	it('go straight to what a scan names exactly', async () => {
		const unit = await newUnit();
		const found = await get(`/find?scan=1&q=${encodeURIComponent(`${unit.serial} ${unit.mac}`)}`);
		expect(found.headers.get('location')).to.equal(`/units/${unit.unitId}`);
	});
});

/** Reads server-sent events until one satisfies. */
async function firstEvent<Data>(
	path: string,
	headers: Record<string, string>,
	act: () => Promise<unknown>,
	wanted: (data: Data) => boolean
): Promise<Data> {
	const life = new AbortController();
	const response = await get(path, undefined, { headers, signal: life.signal });
	expect(response.headers.get('content-type')).to.equal('text/event-stream');
	await act();
	let text = '';
	const decoder = new TextDecoder();
	try {
		for await (const chunk of response.body as unknown as AsyncIterable<Uint8Array>) {
			text += decoder.decode(chunk, { stream: true });
			const blocks = text.split('\n\n');
			text = blocks.pop()!;
			for (const block of blocks) {
				const line = block.split('\n').find((one) => one.startsWith('data: '));
				if (!line) continue;
				const data = JSON.parse(line.slice(6)) as Data;
				if (wanted(data)) return data;
			}
		}
	} finally {
		life.abort();
	}
	throw new Error('The stream ended.');
}

interface Told {
	rows: { runId: string; step: string; lastType: string | null }[];
	gone: string[];
	counts: StandingCounts;
}

describe('event streams', () => {
	it('tell of a unit’s report with the row as it is now', async () => {
		const unit = await boundUnit();
		const told = await firstEvent<Told>(
			'/arrivals/stream',
			{},
			() => report(unit, 'bootstrap-initiated'),
			({ rows }) =>
				rows.some(({ runId, lastType }) => runId === unit.runId && lastType === 'bootstrap-initiated')
		);
		expect(told.rows.find(({ runId }) => runId === unit.runId)).to.include({ step: 'identity' });
		expect(told.counts.steps.identity).to.be.greaterThan(0);
	});

	it('say that everything is to be fetched anew where it is not known what has changed', async () => {
		await firstEvent<null>(
			'/arrivals/stream',
			{},
			() =>
				unwalled().raw(`select pg_notify('limen_change', ?)`, [
					JSON.stringify({ topic: 'runs', ids: [], customerId: null })
				]),
			(told) => told === null
		);
	});

	it('tell of a run that is gone', async () => {
		const unit = await boundUnit();
		await firstEvent<Told>(
			'/arrivals/stream',
			{},
			() => unbindUnit(unit.positionId, ACTOR),
			({ gone }) => gone.includes(unit.runId)
		);
	});

	it('tell one customer’s watcher nothing of another’s units', async () => {
		const [own, other] = [await boundUnit('gateway', 'Southfold Physio'), await boundUnit()];
		const cookie = `customer=${await customerId('Southfold Physio')}; ${(await anAdministrator()).cookie}`;
		const seen: string[] = [];
		await firstEvent<Told>(
			'/arrivals/stream',
			{ cookie },
			async () => {
				await report(other, 'bootstrap-initiated');
				await report(own, 'bootstrap-initiated');
			},
			({ rows }) => {
				seen.push(...rows.map(({ runId }) => runId));
				return seen.includes(own.runId);
			}
		);
		expect(seen).to.not.include(other.runId);
	});

	it('tell a page what changed after it was made and before it listened, and nothing older', async () => {
		const say = (topic: string) =>
			unwalled().raw(`select pg_notify('limen_change', ?)`, [
				JSON.stringify({ topic, ids: [], customerId: null })
			]);
		const firstOf = async (topic: string, behind: string) => {
			const heard: string[] = [];
			// Whatever is told of what was before, is told before this
			const act = () => say(topic);
			await firstEvent<string>(`/live?topics=${topic}&behind=${behind}`, {}, act, (one) => {
				heard.push(one);
				return one === topic;
			});
			return heard;
		};
		const begun = performance.now();
		const sinceThen = () => String(Math.ceil(performance.now() - begun));
		// It is the application that is to have heard of it
		expect(await firstOf('webhooks', '')).to.deep.equal(['webhooks']);
		expect(await firstOf('surveys', sinceThen())).to.deep.equal(['surveys']);
		expect(await firstOf('webhooks', sinceThen())).to.deep.equal(['before', 'webhooks']);
		for (const nonsense of ['', 'soon', '-1']) expect(await firstOf('surveys', nonsense)).to.have.length(1);
		// The application has not heard of all that was told before it began
		expect(await firstOf('surveys', '1e999')).to.deep.equal(['before', 'surveys']);
	});

	it('tell pages which topics changed, and only those they asked for', async () => {
		const unit = await boundUnit();
		const heard: string[] = [];
		await firstEvent<string>(
			'/live?topics=runs',
			{},
			async () => {
				await newUnit();
				await invoke('get-bootstrapping-data', unit);
			},
			(topic) => {
				heard.push(topic);
				return topic === 'runs';
			}
		);
		expect(new Set(heard)).to.deep.equal(new Set(['runs']));
	});
});
