import { randomUUID } from 'node:crypto';
import { createReadStream } from 'node:fs';
import { createServer, type RequestListener } from 'node:http';
import type { AddressInfo } from 'node:net';
import { Readable } from 'node:stream';
import { planOf, USUAL_RULES, type PlanInputs } from '../../src/core/rollout';
import { NO_RULE, openSpans, windowOf } from '../../src/core/windows';
import { findImage, imagePath, imageResponse, uploadImage } from '../../src/lib/server/firmware';
import { database } from '../../src/lib/server/database';
import { LIMEN } from '../../src/lib/server/ledger';
import { advance } from '../../src/lib/server/rollout';
import { customerWithRuns, median, type Figure } from '../world';

const [FEW, MANY, PER_SITE] = [5_000, 20_000, 4];
const [FEW_WAIT, MANY_WAIT] = [2_500, 10_000];
/** A fifth of the time between two beats. */
const MOST_TURN_MS = 1_000;
const MOST_PLAN_MS = 2_000;
/** Four times as many units, with room for what a cache costs. */
const MOST_GROWTH = 5;
const LEAST_SHARE = 0.8;
const TIMES = 5;
const IMAGE_BYTES = 48 * 1024 * 1024;
const DAY_MS = 86_400_000;

/** Units at sites with their windows: three hours each night, in twelve zones. */
function inputsOf(units: number, now: number): PlanInputs {
	const zones = [
		'Pacific/Auckland',
		'Europe/Berlin',
		'America/New_York',
		'Asia/Tokyo',
		'Europe/London',
		'America/Denver'
	];
	const rules = [['01:00', '04:00'] as const, ['22:00', '02:00'] as const].map(([from, to]) => ({
		...NO_RULE,
		hours: [{ days: [1, 2, 3, 4, 5, 6, 7], from, to }]
	}));
	const windows = zones.flatMap((zone) =>
		rules.map((rule) => openSpans(windowOf([rule], zone), now, now + 28 * DAY_MS))
	);
	const sites = units / PER_SITE;
	return {
		items: Array.from({ length: units }, (_, at) => ({
			id: String(at),
			siteId: `s${Math.floor(at / PER_SITE)}`,
			customerId: `c${Math.floor(at / PER_SITE) % 60}`,
			model: `m${at % 7}`,
			version: `v${at % 5}`,
			uplink: `u${at % 3}`,
			isAble: at % 50 !== 0,
			isFront: at % PER_SITE === 0,
			takes: 300_000
		})),
		windows,
		together: [],
		windowOf: Object.fromEntries(Array.from({ length: sites }, (_, at) => [`s${at}`, at % windows.length])),
		// Each gateway and its customer's hub
		apart: Array.from(
			{ length: sites },
			(_, at) => [String(at * PER_SITE), String((at % 60) * PER_SITE)] as const
		).filter(([one, other]) => one !== other)
	};
}

function planning(units: number): number {
	const now = Date.UTC(2026, 10, 27, 12);
	const took = Array.from({ length: TIMES }, () => {
		const start = performance.now();
		planOf(inputsOf(units, now), { ...USUAL_RULES, limits: { ...USUAL_RULES.limits, all: 200 } }, now);
		return performance.now() - start;
	});
	return median(took);
}

/** In octets a second, over a real socket. */
async function fetching(serve: RequestListener): Promise<number> {
	const server = createServer(serve).listen(0, '127.0.0.1');
	await new Promise((resolve) => server.once('listening', resolve));
	const { port } = server.address() as AddressInfo;
	const rates: number[] = [];
	for (let turn = 0; turn < TIMES; turn++) {
		const start = performance.now();
		let bytes = 0;
		const response = await fetch(`http://127.0.0.1:${port}/`);
		for await (const chunk of response.body as unknown as AsyncIterable<Uint8Array>) bytes += chunk.length;
		rates.push(bytes / ((performance.now() - start) / 1000));
	}
	server.closeAllConnections();
	server.close();
	return median(rates);
}

/** A turn of a rollout of which half never answers: those are connected, and have no window. */
async function turning(name: string, units: number): Promise<number> {
	const { customerId } = await customerWithRuns(name, units);
	const id = randomUUID();
	const person = { id: randomUUID() };
	await database()('person').insert({ ...person, name: 'Bench', email: `${id}@bench.example` });
	await database()('rollout').insert({
		id,
		title: name,
		kind: 'restart',
		customer_id: customerId,
		rules: JSON.stringify(USUAL_RULES),
		state: 'under way',
		person_id: person.id,
		actor: 'Bench',
		begun_at: new Date(),
		until: new Date(Date.now() + DAY_MS)
	});
	await database().raw(
		`insert into window_rule (id, customer_id, rule, edit) values (gen_random_uuid(), ?, ?, 1)`,
		[customerId, JSON.stringify({ ...NO_RULE, hours: [] })]
	);
	await database().raw(
		`insert into rollout_item (rollout_id, unit_id, position_id, site_id, customer_id, model_id, ordinal, wave, is_front, takes)
		select :id, binding.unit_id, position.id, position.site_id, position.customer_id, binding.model_id, row_number() over (), row_number() over () / 2000, true, '3 minutes'
		from binding join position on position.id = binding.position_id where binding.customer_id = :customerId`,
		{ id, customerId }
	);
	await database()('process').insert({ id: randomUUID(), name: 'bench' });
	await database().raw(
		`insert into unit_connection (unit_id, customer_id, process_id, session, way, address)
		select unit_id, customer_id, (select id from process limit 1), gen_random_uuid(), 'home over SSH', '127.0.0.1' from rollout_item where rollout_id = ? and ordinal % 2 = 0`,
		[id]
	);
	const took: number[] = [];
	for (let turn = 0; turn < TIMES; turn++) {
		const start = performance.now();
		await advance(id);
		took.push(performance.now() - start);
	}
	return median(took);
}

/** Planning a rollout, going on with it, and handing out an image. */
export async function benchRollouts(): Promise<Figure[]> {
	const [few, many] = [planning(FEW), planning(MANY)];
	const [small, large] = [await turning('Rolled', FEW_WAIT), await turning('Rolled widely', MANY_WAIT)];
	const [line, version] = ['veltrane-branch', 'bench'];
	if (!(await findImage(line, version)))
		await uploadImage(
			{
				firmwareLine: line,
				version,
				fileName: 'bench.bin',
				content: Readable.from([Buffer.alloc(IMAGE_BYTES, 'x')])
			},
			LIMEN
		);
	const image = (await findImage(line, version))!;
	const ours = await fetching((_, answer) => {
		void imageResponse(image, new Request('http://bench.example/'), null).then((response) =>
			Readable.fromWeb(response!.body as never).pipe(answer)
		);
	});
	const bare = await fetching((_, answer) => void createReadStream(imagePath(image.sha256)).pipe(answer));
	const mega = (rate: number) => `${(rate / 1024 / 1024).toFixed(0)} MiB/s`;
	return [
		{
			name: `Planning a rollout of ${MANY} units at ${MANY / PER_SITE} sites with windows`,
			measured: `${many.toFixed(0)} ms`,
			baseline: '',
			result: `${many.toFixed(0)} ms`,
			wanted: `at most ${MOST_PLAN_MS} ms`,
			held: many <= MOST_PLAN_MS
		},
		{
			name: 'The same, against a quarter of the units',
			measured: `${many.toFixed(0)} ms`,
			baseline: `${few.toFixed(0)} ms`,
			result: `${(many / few).toFixed(1)} ×`,
			wanted: `at most ${MOST_GROWTH} ×`,
			held: many / few <= MOST_GROWTH
		},
		{
			name: `A turn of a rollout of which ${MANY_WAIT} units wait, half of them away`,
			measured: `${large.toFixed(0)} ms`,
			baseline: `${small.toFixed(0)} ms for ${FEW_WAIT}`,
			result: `${large.toFixed(0)} ms`,
			wanted: `at most ${MOST_TURN_MS} ms`,
			held: large <= MOST_TURN_MS
		},
		{
			name: 'Handing out a firmware image, against a bare stream of its file',
			measured: mega(ours),
			baseline: mega(bare),
			result: `${(ours / bare).toFixed(2)} ×`,
			wanted: `at least ${LEAST_SHARE} ×`,
			held: ours / bare >= LEAST_SHARE
		}
	];
}
