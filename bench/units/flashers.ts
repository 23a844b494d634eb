import { readFileSync } from 'node:fs';
import { setTimeout as sleep } from 'node:timers/promises';
import { ALONE } from '../../standins/network/fabric';
import { Changes } from '../../standins/units/configuration/changes';
import { canInstall } from '../../standins/units/configuration/grammar';
import { dialHome } from '../../standins/units/home';
import { Images } from '../../standins/units/images';
import { MAKERS } from '../../standins/units/makers';

/** Run by itself: units that dial home, take images, restart with them, and come back, as many as the file that it is given has host keys. */
const { port, key, hostKeys, configuration, version } = JSON.parse(
	readFileSync(process.argv[2]!, 'utf8')
) as {
	port: number;
	key: string;
	hostKeys: string[];
	configuration: string;
	version: string;
};
const A_SECOND = 100;
/** How long a restart takes, at least and at most. */
const [SHORTEST_MS, LONGEST_MS] = [5_000, 15_000];

process.stdin.resume().once('end', () => process.exit(0));
const okapira = MAKERS.okapira!;
let loggedIn = 0;

async function lives(hostKey: string, at: number): Promise<void> {
	const flash = { version, configuration, hostKey, saved: null };
	let ends = new AbortController();
	const images = new Images({
		problem: (wanted) => (canInstall('okapira', wanted, flash.version) ? null : 'not over this one'),
		room: () => Infinity,
		damaged: () => false,
		say: () => undefined,
		install: (wanted) => {
			flash.version = wanted;
			ends.abort();
		}
	});
	const changes = new Changes(
		flash,
		() => null,
		() => undefined
	);
	const answer = (command: string) =>
		okapira.answer(command, {
			serial: String(at),
			version: flash.version,
			configuration,
			saved: configuration,
			save: () => undefined,
			network: ALONE,
			changes,
			images,
			restart: () => ends.abort()
		});
	let isKnown = false;
	for (;;) {
		ends = new AbortController();
		await dialHome(
			{ host: '127.0.0.1', port, user: 'limen', key, accounts: [] },
			hostKey,
			answer,
			() => {
				if (!isKnown && ++loggedIn === hostKeys.length) console.log('all are connected');
				isKnown = true;
			},
			ends.signal
		).catch(() => undefined);
		await sleep(SHORTEST_MS + Math.random() * (LONGEST_MS - SHORTEST_MS));
	}
}
for (const [at, hostKey] of hostKeys.entries()) {
	void lives(hostKey, at);
	if (at % 20 === 19) await sleep((20 / A_SECOND) * 1000);
}
