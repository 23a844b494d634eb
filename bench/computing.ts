import { createHash, randomUUID } from 'node:crypto';
import { pipeline } from 'node:stream/promises';
import { Readable } from 'node:stream';
import { Liquid } from 'liquidjs';
import Papa from 'papaparse';
import pg from 'pg';
import { from as copyFrom } from 'pg-copy-streams';
import { checkCharacter } from '../src/core/intake';
import { render, type RenderInput } from '../src/core/profile';
import { database, ownerUrl } from '../src/lib/server/database';
import { claimBatch } from '../src/lib/server/intake';
import { inTurns, type Figure } from './world';

const ROWS = 10_000;
const TURNS = 7;

/** Paste to verdicts stored, against Papa Parse alone plus COPY of the same rows, ready-made, into a table like `unit`. */
export async function benchIntake(): Promise<Figure[]> {
	const customerId = (await database()('customer').where({ name: 'Southfold Physio' }).first('id'))
		.id as string;
	const listOf = (turn: number) =>
		Array.from({ length: ROWS }, (_, index) => {
			const number = 2_000_000 + turn * ROWS + index;
			const body = `OG2K${number}`;
			const hex = number.toString(16).padStart(8, '0');
			return `${body}${checkCharacter(body, 'iso7064-mod-37-36')},02:00:${hex.match(/../g)!.join(':')},CODE${number}X`;
		}).join('\n');
	const lists = Array.from({ length: TURNS * 2 }, (_, turn) => listOf(turn));
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

/** Rendering with resolved values and named problems, against LiquidJS alone on the same parsed texts and values. */
export async function benchRendering(): Promise<Figure[]> {
	const texts = (await database()('profile_revision').select('text', 'values')) as {
		text: string;
		values: Record<string, string | number>;
	}[];
	const known = {
		site: { name: 'Queen Street', time_zone: 'Pacific/Auckland' },
		customer: { name: 'A customer' },
		position: { name: 'gw-1' },
		port: { uplink: 'up0', lan: 'in0', ap_feed: 'in1' },
		limen: { call_home_host: '127.0.0.1', call_home_port: 4081, public_key: 'ssh-ed25519 AAAA' }
	};
	const inputs = Array.from({ length: ROWS }, (_, index): RenderInput => {
		const { text, values } = texts[index % texts.length]!;
		return {
			text,
			known,
			scoped: {
				profile: values,
				customer: { staff_ssid: 'a', staff_secret: 'b', guest_ssid: 'c', guest_secret: 'd' },
				site: { lan_first: `10.${index % 256}.0.50`, lan_last: `10.${index % 256}.0.99` },
				position: { hostname: `h${index}`, lan_address: `10.${index % 256}.0.1/24` }
			}
		};
	});
	const liquid = new Liquid({ strictVariables: true, strictFilters: true });
	const parsed = new Map(texts.map(({ text }) => [text, liquid.parse(text)]));
	const flat = inputs.map(({ scoped }) => ({
		...scoped.profile,
		...scoped.customer,
		...scoped.site,
		...scoped.position,
		...known
	}));
	const alone = () =>
		inputs.forEach(({ text }, index) => void liquid.renderSync(parsed.get(text)!, flat[index]));
	const ours = () =>
		inputs.forEach((input) => {
			const rendering = render(input);
			if (!rendering.ok) throw new Error(rendering.problems[0]!.message);
		});
	alone();
	ours();
	const { baseline, measured, ratio } = await inTurns(TURNS, alone, ours);
	return [
		{
			name: `Rendering ${ROWS} positions`,
			measured: `${measured.toFixed(0)} ms`,
			baseline: `${baseline.toFixed(0)} ms (LiquidJS alone)`,
			result: `${ratio.toFixed(2)} ×`,
			wanted: 'at most 1.5 ×',
			held: ratio <= 1.5
		}
	];
}
