import { randomUUID } from 'node:crypto';
import { mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { pipeline } from 'node:stream/promises';
import { Readable } from 'node:stream';
import Papa from 'papaparse';
import pg from 'pg';
import { from as copyFrom } from 'pg-copy-streams';
import { folderOf, readConnector } from '../../src/lib/server/connectors';
import { BOOTSTRAP, database, ownerUrl, runAs } from '../../src/lib/server/database';
import { asOwner, inTurns, type Figure } from '../world';

const ROWS = 20_000;
/** Half of them are here: most as the source says, some otherwise. */
const HERE = ROWS / 2;
const OTHERWISE = 500;
const TURNS = 5;
const MOST = 2;

/** A dry run of a list of 20,000 sites, from the file to what would change, beside parsing it and COPY of its rows. */
export async function benchConnectors(): Promise<Figure[]> {
	const [customerId, connectorId, personId] = [randomUUID(), randomUUID(), randomUUID()];
	await asOwner(`
insert into customer (id, name) values ('${customerId}', 'Read by connectors');
insert into person (id, name, email, administrator) values ('${personId}', 'Bench', '${personId}@bench.example', true);
insert into site (id, customer_id, name, street, locality, country, time_zone, contact, uplink, phone)
	select gen_random_uuid(), '${customerId}', 'Place ' || at, at || ' Some Street', 'Somewhere', 'New Zealand', 'Pacific/Auckland', 'Somebody ' || at, 'fibre', '021 555 0100'
	from generate_series(1, ${HERE}) at; analyze site`);
	const headings = ['id', 'name', 'street', 'town', 'contact', 'phone'];
	const cells = Array.from({ length: ROWS }, (_, index) => {
		const at = index + 1;
		return [
			`P-${at}`,
			`Place ${at}`,
			`${at} Some Street`,
			'Somewhere',
			`Somebody ${at}`,
			at <= OTHERWISE ? '021 555 0199' : '021 555 0100'
		];
	});
	const mapping = {
		key: 'id',
		columns: ['site', 'street', 'locality', 'contact', 'phone'].map((to, at) => ({
			from: headings[at + 1],
			to
		}))
	};
	await database()('connector').insert({
		...{ id: connectorId, customer_id: customerId, name: 'Bench', kind: 'sites', person_id: personId },
		...{ stated_by: 'Bench', mapping: JSON.stringify(mapping) }
	});
	const file = join(folderOf(connectorId), 'places.csv');
	mkdirSync(folderOf(connectorId), { recursive: true });
	writeFileSync(file, Papa.unparse([headings, ...cells]));
	const client = new pg.Client({ connectionString: ownerUrl() });
	await client.connect();
	await client.query('create table bare_row (like connector_row including all)');
	const ready = (run: string) =>
		cells
			.map(([key, name, ...more], at) =>
				[run, at + 1, customerId, key, name, 'new', '\\N', '{}', '[]', JSON.stringify(more), '\\N'].join('\t')
			)
			.join('\n');
	const copies = Array.from({ length: TURNS }, () => ready(randomUUID()));
	const bare = async (turn: number) => {
		Papa.parse<string[]>(readFileSync(file, 'utf8'));
		await pipeline(Readable.from([copies[turn]!]), client.query(copyFrom('copy bare_row from stdin')));
	};
	const ours = async () => {
		const run = randomUUID();
		const row = { id: run, connector_id: connectorId, customer_id: customerId, asked_by: 'Bench' };
		await runAs(BOOTSTRAP, async () => {
			await database()('connector_run').insert(row);
			await readConnector(run, { last: true });
			const { counts, trouble } = await database()('connector_run').where({ id: run }).first();
			if (counts.new !== ROWS - HERE)
				throw new Error(`It was not compared: ${trouble} ${JSON.stringify(counts)}`);
		});
	};
	// The threads read their program first
	await ours();
	const { baseline, measured, ratio } = await inTurns(TURNS, bare, ours);
	await client.end();
	return [
		{
			name: `a dry run of ${ROWS.toLocaleString('en')} sites, of which ${HERE.toLocaleString('en')} are here`,
			measured: `${measured.toFixed(0)} ms`,
			baseline: `${baseline.toFixed(0)} ms (Papa Parse, and COPY of the ready rows into a table like ours)`,
			result: `${ratio.toFixed(2)} ×`,
			wanted: `at most ${MOST} ×`,
			held: ratio <= MOST
		}
	];
}
