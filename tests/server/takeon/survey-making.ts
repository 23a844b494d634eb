import { createServer, type AddressInfo, type Server } from 'node:net';
import * as v from 'valibot';
import { checkCharacter } from '../../../src/core/intake';
import { saveLogin } from '../../../src/lib/server/logins';
import { loadPack } from '../../../src/lib/server/packs';
import { addressesOf, runsOf, saveSurvey, surveySchema } from '../../../src/lib/server/survey';
import { ALONE } from '../../../standins/network/fabric';
import type { Learnt, Neighbour } from '../../../standins/network/station';
import { Changes } from '../../../standins/units/configuration/changes';
import { listenAt, newHostKey } from '../../../standins/units/home';
import { NO_IMAGES } from '../../../standins/units/images';
import { MAKERS } from '../../../standins/units/makers';
import { fennickPack } from '../../fennick';
import { onChange } from '../dialling';
import { ACTOR, customerId } from '../making';
import { fresh, must } from '../profile/profile-making';

export const CUSTOMER = 'Harrier Lodges';
export const BOSS = { name: 'Maren Aldous', address: null, may: () => true };
/** A network of loopback that nobody else of this customer's has. */
let networks = 0;
export const network = () => `127.${(process.pid % 100) + 120}.${100 + ++networks}`;
let numbers = (process.pid % 90) * 100;
function nextSerial(): string {
	const body = `VTB${String(++numbers).padStart(4, '0')}SRVY`;
	return body + checkCharacter(body, 'iso7064-mod-37-36');
}

/** A router that somebody else configured, listening at an address. */
export class Lodge {
	serial = nextSerial();
	readonly mac = `06:0a:${[1, 2, 3, 4].map((at) => ((numbers >> (at * 2)) & 255).toString(16).padStart(2, '0')).join(':')}`.replace(/..$/, (numbers % 256).toString(16).padStart(2, '0')); // prettier-ignore
	version = '4.2.1';
	neighbours: Neighbour[] = [];
	learnt: Learnt[] = [];
	password = 'by the door';
	hostKey = newHostKey();
	logins = 0;
	readonly #life = new AbortController();

	constructor(readonly name: string) {}

	get configuration(): string {
		return `hostname ${this.name}\naccount keeper\n  secret "${this.password}"\n`;
	}
	hears(port: string, far: Lodge, more: Partial<Neighbour> = {}): void {
		this.neighbours.push({
			port,
			chassis: far.mac,
			neighbourPort: '',
			name: far.name,
			description: 'VT-120, release 4.2.1',
			address: '',
			...more
		});
	}
	listen(address: string, port: number): void {
		const device = {
			serial: this.serial,
			version: this.version,
			configuration: this.configuration,
			network: {
				...ALONE,
				self: { mac: this.mac, name: this.name, memory: '1024 MB', modules: 'none' },
				neighbours: () => this.neighbours,
				learnt: () => this.learnt
			},
			changes: new Changes(
				{ version: '1', configuration: '', hostKey: '' },
				() => null,
				() => undefined
			),
			images: NO_IMAGES,
			restart: () => undefined
		};
		void listenAt(
			address,
			port,
			this.hostKey,
			() => {
				this.logins += 1;
				return [{ user: 'keeper', password: this.password }];
			},
			(command) => MAKERS.veltrane!.answer(command, { ...device, version: this.version }),
			this.#life.signal
		);
	}
	end(): void {
		this.#life.abort();
	}
}

/** A port that is free on all of loopback's addresses, as far as this process knows. */
export async function aPort(): Promise<number> {
	const probe = createServer();
	await new Promise<void>((resolve) => probe.listen(0, '0.0.0.0', resolve));
	const { port } = probe.address() as AddressInfo;
	await new Promise((resolve) => probe.close(resolve));
	return port;
}
export async function listening(
	address: string,
	port: number,
	answer: Parameters<typeof createServer>[1]
): Promise<Server> {
	const server = createServer(answer);
	await new Promise<void>((resolve) => server.listen(port, address, resolve));
	return server;
}

export async function login(name: string, ranges: string[], port: number, more: object = {}) {
	must(
		await saveLogin(
			{
				customer: await customerId(CUSTOMER),
				name,
				user: 'keeper',
				password: 'by the door',
				privateKey: '',
				privileges: '',
				port,
				ranges,
				models: [],
				ordinal: 0,
				...more
			},
			ACTOR
		)
	);
	return name;
}
export const asked = async (begins: string, ranges: string, more: object = {}) =>
	v.parse(surveySchema, {
		customer: await customerId(CUSTOMER),
		name: fresh('Lodges'),
		begins,
		ranges,
		perSecond: '100',
		...more
	});
export const over = (id: string) =>
	onChange(['surveys'], async () => (await runsOf(id, 1))[0]!.state !== 'under way');
export async function surveyed(...given: Parameters<typeof asked>): Promise<string> {
	const { id } = must(await saveSurvey(await asked(...given), ACTOR));
	await over(id);
	return id;
}
export async function outcomes(id: string): Promise<Record<string, string | null>> {
	const [run] = await runsOf(id, 1);
	return Object.fromEntries(
		(await addressesOf(run!.id, 500)).map(({ address, outcome }) => [address, outcome])
	);
}

const lodges: Lodge[] = [];
export const servers: Server[] = [];
export const lodge = (name: string): Lodge => {
	const made = new Lodge(name);
	lodges.push(made);
	return made;
};
export function endAll(): void {
	for (const one of lodges.splice(0)) one.end();
	for (const server of servers.splice(0)) server.close();
}

let found: ReturnType<typeof loadPack> | undefined;
/** Of a maker that no other test loads another pack for. */
export const loadFound = async (): Promise<void> =>
	void must(
		await (found ??= loadPack(
			fennickPack((text) =>
				text
					.replace('"id": "fennick", "name": "Fennick"', '"id": "fennick-found", "name": "Fennick found"')
					.replace('"id": "fn-10"', '"id": "fn-10-found"')
					.replace('"name": "FN-10"', '"name": "FN-10 found"')
					.replace('"FNdddddddd"', '"FSdddddddd"')
					.replaceAll('fennick-os', 'fennick-found-os')
			),
			BOSS
		))
	);
