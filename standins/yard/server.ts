import { readFileSync } from 'node:fs';
import { createServer, type IncomingMessage, type Server, type ServerResponse } from 'node:http';
import * as v from 'valibot';
import { FAULTS, type Fault } from '../units/flash';
import type { Unit } from '../units/unit';
import { lettersPage, type PostBox } from '../mail/post-box';
import type { Yard } from './store';

/** The yard's panel: a plain page, and the same over HTTP for tests. */
const PAGE = readFileSync(new URL('./page.html', import.meta.url));

const commandSchema = v.object({
	power: v.optional(v.boolean()),
	cable: v.optional(v.picklist(['uplink', 'lan', 'none'])),
	faults: v.optional(v.array(v.picklist(Object.keys(FAULTS) as [Fault, ...Fault[]]))),
	reset: v.optional(v.boolean()),
	type: v.optional(v.pipe(v.string(), v.maxLength(200)))
});

const shown = (unit: Unit) => ({
	...unit.label,
	version: unit.flash.version,
	configured: unit.flash.configuration !== null,
	power: unit.power,
	cable: unit.cable,
	faults: [...unit.faults],
	doing: unit.doing,
	console: unit.console.slice(-12)
});

export function serveYard(yard: Yard, postBox: PostBox, port: number, host: string): Promise<Server> {
	const server = createServer((request, response) => {
		answer(yard, postBox, request, response).catch((error: Error) => {
			if (!response.headersSent) json(response, 400, { error: error.message });
		});
	});
	return new Promise((resolve, reject) => {
		server.once('error', reject);
		server.listen(port, host, () => resolve(server));
	});
}

const json = (response: ServerResponse, status: number, body: unknown) =>
	response.writeHead(status, { 'content-type': 'application/json' }).end(JSON.stringify(body));

async function answer(
	yard: Yard,
	postBox: PostBox,
	request: IncomingMessage,
	response: ServerResponse
): Promise<void> {
	const [, api, serial] = (request.url ?? '/').split('?')[0]!.split('/');
	if (request.method === 'GET' && api === '') {
		response.writeHead(200, { 'content-type': 'text/html; charset=utf-8' }).end(PAGE);
		return;
	}
	if (request.method === 'GET' && api === 'letters') {
		if (request.headers.accept === 'application/json') return void json(response, 200, postBox.letters);
		response.writeHead(200, { 'content-type': 'text/html; charset=utf-8' }).end(lettersPage(postBox.letters));
		return;
	}
	if (api !== 'units') return void json(response, 404, { error: 'no such page' });
	if (serial === undefined)
		return void json(response, 200, { faults: FAULTS, units: [...yard.units.values()].map(shown) });
	const unit = yard.units.get(serial);
	if (!unit) return void json(response, 404, { error: 'no such unit' });
	if (request.method === 'POST') {
		// A page of another origin cannot send this type without asking first
		if (request.headers['content-type'] !== 'application/json')
			return void json(response, 415, { error: 'application/json only' });
		await obey(unit, v.parse(commandSchema, JSON.parse(await body(request))));
		yard.keep();
	}
	json(response, 200, shown(unit));
}

async function obey(unit: Unit, command: v.InferOutput<typeof commandSchema>): Promise<void> {
	if (command.faults) {
		unit.faults.clear();
		for (const fault of command.faults) unit.faults.add(fault);
	}
	if (command.cable) unit.cable = command.cable;
	if (command.type) unit.type(command.type);
	if (command.reset) unit.reset();
	if (command.power === true) unit.switchOn();
	if (command.power === false) await unit.switchOff();
}

async function body(request: IncomingMessage): Promise<string> {
	let text = '';
	for await (const chunk of request) {
		text += String(chunk);
		if (text.length > 10_000) throw new Error('too long');
	}
	return text;
}
