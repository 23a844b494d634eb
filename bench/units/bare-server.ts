import { createServer } from 'node:http';
import pg from 'pg';
import { ownerUrl } from '../../src/lib/server/database';
import { currentSettings } from '../../src/lib/server/settings';

/** The storm's baseline: a bare handler that makes one indexed read and one durable single-row insert per request. */
const pool = new pg.Pool({ connectionString: ownerUrl(), max: currentSettings().LIMEN_DATABASE_POOL });

createServer({ keepAliveTimeout: 60_000 }, (request, response) => {
	// Whoever waits for the start asks without credentials
	if (request.method === 'GET') return void response.writeHead(204).end();
	let body = '';
	request.setEncoding('utf8').on('data', (chunk: string) => (body += chunk));
	request.on('end', async () => {
		const [serial] = Buffer.from((request.headers.authorization ?? '').slice(6), 'base64')
			.toString()
			.split(':');
		const { rows } = await pool.query('select id from unit where serial = $1', [serial]);
		await pool.query('insert into bare_event (unit_id, words) values ($1, $2)', [rows[0].id, body]);
		response.writeHead(204).end();
	});
}).listen({ port: Number(process.env.BARE_PORT), host: '127.0.0.1', backlog: 4096 });
