import { readFileSync } from 'node:fs';
import { createServer, type IncomingMessage, type Server, type ServerResponse } from 'node:http';
import * as v from 'valibot';
import type { Registries } from '../registry/open';
import { REGISTRY_FAULTS, type RegistryFault } from '../registry/registry';
import { FAULTS, type Fault } from '../units/flash';
import { filesIn } from '../units/onboarding/storage';
import type { Unit } from '../units/unit';
import { portsOf } from '../units/configuration/wiring';
import type { Fabric } from '../network/fabric';
import { lettersPage, type PostBox } from '../mail/post-box';
import { heardPage, HookListener } from '../hooks/listener';
import type { Inventory } from '../inventory/service';
import type { Yard } from './store';

/** The yard's panel: a plain page, and the same over HTTP for tests. */
const PAGE = readFileSync(new URL('./page.html', import.meta.url));

const commandSchema = v.object({
	power: v.optional(v.boolean()),
	cable: v.optional(v.picklist(['uplink', 'lan', 'none'])),
	faults: v.optional(v.array(v.picklist(Object.keys(FAULTS) as [Fault, ...Fault[]]))),
	reset: v.optional(v.boolean()),
	/** What is on the USB stick in it: a ZIP in base64; null: the stick is taken out. */
	storage: v.optional(v.nullable(v.pipe(v.string(), v.maxLength(200_000), v.base64()))),
	/** What is in its slots. */
	modules: v.optional(v.pipe(v.array(v.pipe(v.string(), v.regex(/^[A-Za-z0-9-]{1,20}$/))), v.maxLength(4))),
	/** What somebody types at its console, over other words or as a statement of its own. */
	type: v.optional(
		v.object({
			words: v.pipe(v.string(), v.maxLength(2000)),
			over: v.optional(v.pipe(v.string(), v.maxLength(2000))),
			by: v.optional(v.pipe(v.string(), v.regex(/^[A-Za-z0-9._-]{1,40}$/)))
		})
	),
	/** Where it is carried; null: where its configuration says. */
	carry: v.optional(v.nullable(v.pipe(v.string(), v.trim(), v.minLength(1), v.maxLength(200)))),
	/** Into which port of which other its cable goes; null: where people usually plug it in. */
	plug: v.optional(
		v.nullable(
			v.object({ serial: v.pipe(v.string(), v.maxLength(40)), port: v.pipe(v.string(), v.maxLength(20)) })
		)
	)
});

/** Into what it is plugged, as the panel shows it. */
function plugged(unit: Unit, fabric: Fabric<Unit>) {
	const plug = fabric.plugOf(unit);
	return plug === null || plug === 'outside' ? plug : { serial: plug.station.label.serial, port: plug.port };
}

const shownUnit = (unit: Unit, fabric: Fabric<Unit>) => ({
	...unit.label,
	version: unit.flash.version,
	configured: unit.flash.configuration !== null,
	power: unit.power,
	cable: unit.cable,
	place: fabric.placeOf(unit),
	plugged: plugged(unit, fabric),
	ports: portsOf(unit.label.model).others,
	isFed: fabric.isFed(unit),
	faults: [...unit.faults],
	doing: unit.doing,
	light: unit.light,
	storage: unit.storage ? [...unit.storage.keys()] : [],
	console: unit.console.slice(-12)
});

export function serveYard(shown: Omit<Served, 'listener'>, port: number, host: string): Promise<Server> {
	const listener = new HookListener();
	const server = createServer((request, response) => {
		answer({ ...shown, listener }, request, response).catch((error: Error) => {
			if (!response.headersSent) json(response, 400, { error: error.message });
		});
	});
	return new Promise((resolve, reject) => {
		server.once('error', reject);
		server.listen(port, host, () => resolve(server));
	});
}

const json = (response: ServerResponse, status: number, body: unknown): void =>
	void response.writeHead(status, { 'content-type': 'application/json' }).end(JSON.stringify(body));

interface Served {
	readonly yard: Yard;
	readonly postBox: PostBox;
	readonly listener: HookListener;
	readonly registries: Registries;
	readonly inventory: Inventory;
}
async function answer(
	{ yard, postBox, listener, registries, inventory }: Served,
	request: IncomingMessage,
	response: ServerResponse
): Promise<void> {
	const [, api, serial, place] = (request.url ?? '/').split('?')[0]!.split('/');
	if (request.method === 'GET' && api === '') {
		response.writeHead(200, { 'content-type': 'text/html; charset=utf-8' }).end(PAGE);
		return;
	}
	if (request.method === 'GET' && api === 'letters' && serial !== undefined)
		return sendAttached(postBox, Number(serial), Number(place), response);
	if (request.method === 'GET' && api === 'letters') {
		if (request.headers.accept === 'application/json') return void json(response, 200, postBox.letters);
		response.writeHead(200, { 'content-type': 'text/html; charset=utf-8' }).end(lettersPage(postBox.letters));
		return;
	}
	if (api === 'heard') return hear(listener, request, response);
	if (api === 'inventory') return inventory.answer(request, response, await body(request, LARGEST_REQUEST));
	if (api === 'registry') return answerForRegistry(registries, request, response);
	if (api === 'registries') return showRegistries(registries, request, response, serial);
	if (api !== 'units') return void json(response, 404, { error: 'no such page' });
	if (serial === undefined && request.method === 'POST') {
		if (request.headers['content-type'] !== 'application/json')
			return void json(response, 415, { error: 'application/json only' });
		yard.bring(JSON.parse(await body(request, LARGEST_REQUEST)));
	}
	if (serial === undefined)
		return void json(response, 200, {
			faults: FAULTS,
			units: [...yard.units.values()].map((one) => shownUnit(one, yard.fabric))
		});
	const unit = yard.units.get(serial);
	if (!unit) return void json(response, 404, { error: 'no such unit' });
	if (request.method === 'POST') {
		// A page of another origin cannot send this type without asking first
		if (request.headers['content-type'] !== 'application/json')
			return void json(response, 415, { error: 'application/json only' });
		await obey(unit, v.parse(commandSchema, JSON.parse(await body(request, LARGEST_REQUEST))));
		yard.changed();
		yard.keep();
	}
	json(response, 200, shownUnit(unit, yard.fabric));
}

function sendAttached(postBox: PostBox, letter: number, place: number, response: ServerResponse): void {
	const file = postBox.file(letter, place);
	if (!file) return void json(response, 404, { error: 'no such file' });
	response.writeHead(200, {
		'content-type': file.kind,
		'content-disposition': `attachment; filename="${file.name.replace(/[^\w.-]/g, '_')}"`
	});
	response.end(file.content);
}

/** A program that is told what happens: `/heard`, where what it was told can be read too. */
async function hear(
	listener: HookListener,
	request: IncomingMessage,
	response: ServerResponse
): Promise<void> {
	if (request.method !== 'POST') {
		if (request.headers.accept === 'application/json') return json(response, 200, listener.heard);
		response.writeHead(200, { 'content-type': 'text/html; charset=utf-8' }).end(heardPage(listener.heard));
		return;
	}
	if (!request.headers['content-type']?.startsWith('application/cloudevents+json'))
		return json(response, 415, { error: 'application/cloudevents+json only' });
	listener.take(await body(request, LARGEST_REQUEST));
	response.writeHead(204).end();
}

const LARGEST_REQUEST = 200_000;

/** What a maker's registry says: `/registry/MAKER/…`. */
async function answerForRegistry(
	registries: Registries,
	request: IncomingMessage,
	response: ServerResponse
): Promise<void> {
	const [, , maker = '', ...path] = (request.url ?? '/').split('?')[0]!.split('/');
	const registry = registries.get(maker);
	if (!registry) return json(response, 404, { error: 'no such registry' });
	await registry.answer(path, request, response, await body(request, LARGEST_REQUEST));
}

const registrySchema = v.object({
	faults: v.optional(
		v.array(v.picklist(Object.keys(REGISTRY_FAULTS) as [RegistryFault, ...RegistryFault[]]))
	),
	slowness: v.optional(v.pipe(v.number(), v.minValue(0), v.maxValue(120_000)))
});

/** The registries on the panel: how each behaves, and making it behave otherwise. */
async function showRegistries(
	registries: Registries,
	request: IncomingMessage,
	response: ServerResponse,
	maker: string | undefined
): Promise<void> {
	const one = maker === undefined ? undefined : registries.get(maker);
	if (maker !== undefined && !one) return json(response, 404, { error: 'no such registry' });
	if (one && request.method === 'POST') {
		if (request.headers['content-type'] !== 'application/json')
			return json(response, 415, { error: 'application/json only' });
		const { faults, slowness } = v.parse(registrySchema, JSON.parse(await body(request)));
		if (faults) {
			one.faults.clear();
			for (const fault of faults) one.faults.add(fault);
		}
		if (slowness !== undefined) one.slowness = slowness;
	}
	json(response, 200, {
		faults: REGISTRY_FAULTS,
		registries: [...registries.values()].map((registry) => ({
			maker: registry.maker,
			faults: [...registry.faults],
			slowness: registry.slowness,
			requests: registry.requests
		}))
	});
}

async function obey(unit: Unit, command: v.InferOutput<typeof commandSchema>): Promise<void> {
	if (command.faults) {
		unit.faults.clear();
		for (const fault of command.faults) unit.faults.add(fault);
	}
	if (command.cable) unit.cable = command.cable;
	if (command.carry !== undefined) unit.carriedTo = command.carry;
	if (command.plug !== undefined) unit.plug = command.plug;
	if (command.type) unit.type(command.type);
	if (command.storage !== undefined)
		unit.storage = command.storage === null ? null : filesIn(Buffer.from(command.storage, 'base64'));
	if (command.modules) unit.modules = command.modules;
	if (command.reset) unit.reset();
	if (command.power === true) unit.switchOn();
	if (command.power === false) await unit.switchOff();
}

async function body(request: IncomingMessage, most = 10_000): Promise<string> {
	let text = '';
	for await (const chunk of request) {
		text += String(chunk);
		if (text.length > most) throw new Error('too long');
	}
	return text;
}
