import { readFileSync } from 'node:fs';
import { setTimeout as sleep } from 'node:timers/promises';
import { dialHome } from '../../standins/units/home';

/** Run by itself: units that dial home and stay, as many as the file that it is given has host keys. */
const { port, key, hostKeys, configuration } = JSON.parse(readFileSync(process.argv[2]!, 'utf8')) as {
	port: number;
	key: string;
	hostKeys: string[];
	configuration: string;
};
/** As a fleet would after a cut of power: not all in one moment. */
const A_SECOND = 200;
const DIAL_AGAIN_MS = 3_000;

process.stdin.resume().once('end', () => process.exit(0));
const loggedIn = new Set<number>();

/** How it does, in what its maker's pack reads. */
const condition = (index: number, minutes: number) =>
	`condition load ${20 + ((index + minutes) % 30)}.5% store 41.5% heat 44.1C age ${minutes * 60}s;\n`;
const wires = (index: number, minutes: number) =>
	['wan0', 'lan0', 'lan1', 'lan2']
		.map(
			(port) =>
				`wire ${port} alive 1000 plain in ${minutes * 7_000_000 + index} out ${minutes * 900_000} wrong 0;\n`
		)
		.join('');

/** Each calls from an address of its own, as from a line of its own. */
const addressOf = (index: number) => `127.1.${Math.floor(index / 250)}.${(index % 250) + 1}`;

/** Dials, and dials again a while after its connection has ended. */
async function lives(hostKey: string, index: number): Promise<void> {
	let reads = 0;
	/** Every tenth is another one each time. */
	const read = () =>
		index % 10 === 0 ? `${configuration}\ninterface wan { note "read ${++reads} times"; }` : configuration;
	for (;;) {
		await dialHome(
			{ host: '127.0.0.1', port, user: 'limen', key, accounts: [] },
			hostKey,
			(command) => {
				const minutes = Math.floor(performance.now() / 60_000) + 1_000;
				if (command === 'tell condition') return condition(index, minutes);
				if (command === 'tell wires') return wires(index, minutes);
				return command === 'tell configuration' ? read() : '';
			},
			() => {
				if (!loggedIn.has(index) && loggedIn.add(index).size === hostKeys.length)
					console.log('all are connected');
			},
			new AbortController().signal,
			addressOf(index)
		);
		await sleep(DIAL_AGAIN_MS);
	}
}

for (const [index, hostKey] of hostKeys.entries()) {
	void lives(hostKey, index);
	if (index % 20 === 19) await sleep((20 / A_SECOND) * 1000);
}
