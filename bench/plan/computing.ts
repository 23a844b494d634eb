import { createHash, randomUUID } from 'node:crypto';
import { pipeline } from 'node:stream/promises';
import { Readable } from 'node:stream';
import { Liquid } from 'liquidjs';
import Papa from 'papaparse';
import pg from 'pg';
import { from as copyFrom } from 'pg-copy-streams';
import { renderText, renderWhole, type Composition } from '../../src/core/profile';
import { registerFilters } from '../../src/core/profile/text/filters';
import { database, ownerUrl } from '../../src/lib/server/database';
import { claimBatch } from '../../src/lib/server/intake';
import { piecesOf, renderingModels, revisionsById } from '../../src/lib/server/profile';
import { inTurns, newLabel, type Figure } from '../world';

const ROWS = 10_000;
const TURNS = 7;

/** Paste to verdicts stored, against Papa Parse alone plus COPY of the same rows, ready-made, into a table like `unit`. */
export async function benchIntake(): Promise<Figure[]> {
	const customerId = (await database()('customer').where({ name: 'Southfold Physio' }).first('id'))
		.id as string;
	const listOf = () =>
		Array.from({ length: ROWS }, newLabel)
			.map(({ serial, mac, claimCode }) => `${serial},${mac},${claimCode}`)
			.join('\n');
	const lists = Array.from({ length: TURNS * 2 }, listOf);
	const client = new pg.Client({ connectionString: ownerUrl() });
	await client.connect();
	await client.query('create table bare_unit (like unit including all)');
	const batchId = randomUUID();
	// The same rows, made ready beforehand: what is timed is parsing the list and copying them in
	const ready = lists.slice(0, TURNS).map((list) =>
		list
			.split('\n')
			.map((line) => {
				const [serial, mac, code] = line.split(',');
				const claim = createHash('sha256').update(code!).digest('hex');
				return `${randomUUID()}\t${serial}\tokapira\tog-2\t${customerId}\t${batchId}\t1\t${mac}\t\\\\x${claim}\n`;
			})
			.join('')
	);
	const bare = async (turn: number) => {
		Papa.parse<string[]>(lists[turn]!);
		const copy = client.query(
			copyFrom(
				'copy bare_unit (id, serial, maker_id, model_id, customer_id, batch_id, line, mac, claim_hash) from stdin'
			)
		);
		await pipeline(Readable.from([ready[turn]!]), copy);
	};
	const ours = async (turn: number) => {
		const act = await claimBatch(customerId, lists[TURNS + turn]!, {
			name: 'bench',
			address: null,
			may: () => true
		});
		if (!act.ok || act.done.counts.claimed !== ROWS) throw new Error('The intake did not claim every row.');
	};
	const { baseline, measured, ratio } = await inTurns(TURNS, bare, ours);
	await client.end();
	return [
		{
			name: `Intake of ${ROWS} rows, paste to verdicts stored`,
			measured: `${measured.toFixed(0)} ms`,
			baseline: `${baseline.toFixed(0)} ms (Papa Parse, and COPY of the ready rows into a table like ours)`,
			result: `${ratio.toFixed(2)} ×`,
			wanted: 'at most 4 ×',
			held: ratio <= 4
		}
	];
}

const TUNNEL = {
	...{ name: 'hub', endpoint: '203.0.113.10', secret: 'ffffffff', own_address: '10.255.0.1/31' },
	networks: ['10.0.0.0/16']
};

interface Whole {
	readonly input: Composition;
	readonly flat: Record<string, unknown>;
}

/** Every profile's released revision for many made-up positions, and what LiquidJS alone needs for the same. */
async function wholes(): Promise<readonly Whole[]> {
	const rows = await database()('profile').whereNotNull('released_revision_id').pluck('released_revision_id');
	const revisions = [...(await revisionsById(database(), rows)).values()];
	const models = [...(await renderingModels(database())).values()];
	const composed = revisions.map((revision) => {
		const { dialect, ports } = models.find(({ roles }) => roles.includes(revision.roleId))!;
		return { revision, dialect, ports, pieces: piecesOf(revision, dialect) };
	});
	return Array.from({ length: ROWS }, (_, index) => {
		const { revision, dialect, ports, pieces } = composed[index % composed.length]!;
		const known = {
			site: { name: 'Queen Street', time_zone: 'Pacific/Auckland', apn: 'internet.example', sim: '' },
			customer: { name: 'A customer' },
			position: { name: 'gw-1', tunnels: [TUNNEL] },
			port: ports,
			limen: {
				call_home_host: '127.0.0.1',
				call_home_port: 4081,
				netconf_port: 4082,
				public_key: 'ssh-ed25519 AAAA'
			}
		};
		const scoped = {
			profile: revision.values,
			customer: {
				...{ staff_ssid: 'a', staff_secret: 'bbbbbbbb', guest_ssid: 'c', guest_secret: 'dddddddd' },
				...{ hub: '203.0.113.10', hub_networks: ['10.0.0.0/16'], tunnel_range: '10.255.0.0/20' },
				...{ log_server: 'log.example', management_ranges: ['198.51.100.0/24'] },
				...{ session_user: 'somebody@provider.example', session_secret: 'eeeeeeee' }
			},
			site: {
				networks: `10.${index % 256}.0.0/22`,
				site_number: index % 2000,
				tunnel_secret: 'shared-by-two'
			},
			position: { hostname: `h${index}` }
		};
		const input = { dialect, pieces, scoped, known };
		const result = renderWhole(input);
		if (!result.ok) throw new Error(result.problems[0]!.message);
		const flat = Object.fromEntries([...result.values].map(([name, { value }]) => [name, value]));
		return { input, flat: { ...flat, ...known } };
	});
}

/** A rendering with origins, out of scoped values, typed fields and formulas, against LiquidJS alone on the same texts with the values ready. */
export async function benchRendering(): Promise<Figure[]> {
	const all = await wholes();
	const engine = new Liquid({ strictVariables: true, strictFilters: true, lenientIf: true });
	registerFilters(engine);
	const parsed = new Map(
		all.flatMap(({ input }) => input.pieces.map(({ text }) => [text, engine.parse(text)] as const))
	);
	const alone = () => {
		for (const { input, flat } of all)
			for (const { text } of input.pieces) engine.renderSync(parsed.get(text)!, flat);
	};
	const withOrigin = () => {
		for (const { input, flat } of all)
			for (const { text } of input.pieces) if (!renderText(text, flat).ok) throw new Error('not rendered');
	};
	const whole = () => {
		for (const { input } of all) if (!renderWhole(input).ok) throw new Error('not rendered');
	};
	for (const work of [alone, withOrigin, whole]) work();
	const origin = await inTurns(TURNS, alone, withOrigin);
	const full = await inTurns(TURNS, alone, whole);
	return [
		{
			name: `Rendering ${ROWS} positions with origin`,
			measured: `${origin.measured.toFixed(0)} ms`,
			baseline: `${origin.baseline.toFixed(0)} ms (LiquidJS alone)`,
			result: `${origin.ratio.toFixed(2)} ×`,
			wanted: 'at most 2 ×',
			held: origin.ratio <= 2
		},
		{
			name: `The same from scoped values, with formulas, types and the dialect checked`,
			measured: `${full.measured.toFixed(0)} ms`,
			baseline: `${full.baseline.toFixed(0)} ms (LiquidJS alone, values ready)`,
			result: `${full.ratio.toFixed(2)} ×`,
			wanted: 'told only',
			held: true
		}
	];
}
