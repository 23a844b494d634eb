import { readFileSync } from 'node:fs';
import { ALONE } from '../../standins/network/fabric';
import { Changes } from '../../standins/units/configuration/changes';
import { listenAt, newHostKey } from '../../standins/units/home';
import { NO_IMAGES } from '../../standins/units/images';
import { MAKERS } from '../../standins/units/makers';

/** Run by itself: routers that somebody else configured, as many as the file that it is given names, listening at addresses. */
export interface Listener {
	readonly address: string;
	readonly serial: string;
	readonly mac: string;
	readonly name: string;
	/** The places of those that it hears, in the same list. */
	readonly hears: readonly number[];
}
const { port, units, account } = JSON.parse(readFileSync(process.argv[2]!, 'utf8')) as {
	port: number;
	units: Listener[];
	account: { user: string; password: string };
};

process.stdin.resume().once('end', () => process.exit(0));
const CHANGES = new Changes(
	{ version: '4.2.1', configuration: '', hostKey: '' },
	() => null,
	() => undefined
);
const hostKey = newHostKey();
for (const { address, serial, mac, name, hears } of units) {
	const neighbours = hears.map((place, index) => ({
		port: `lan${index}`,
		chassis: units[place]!.mac,
		neighbourPort: 'wan0',
		name: units[place]!.name,
		description: 'VT-340, release 4.2.1',
		address: units[place]!.address
	}));
	const learnt = neighbours.map((one) => ({ mac: one.chassis, port: one.port, address: one.address }));
	const device = {
		serial,
		version: '4.2.1',
		configuration: '',
		network: {
			...ALONE,
			self: { mac, name, memory: '1024 MB', modules: 'none' },
			neighbours: () => neighbours,
			learnt: () => learnt
		},
		changes: CHANGES,
		images: NO_IMAGES,
		restart: () => undefined
	};
	void listenAt(
		address,
		port,
		hostKey,
		() => [account],
		(command) => MAKERS.veltrane!.answer(command, device),
		new AbortController().signal
	);
}
setImmediate(() => console.log('all listen'));
