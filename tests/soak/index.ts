import { setTimeout as sleep } from 'node:timers/promises';
import { demoOnly } from '../../command/demo-settings';
import { stopPrograms } from '../../command/running/processes';
import { counted } from '../../src/core/text';
import { Installation } from '../installation/installation';
import { planted, tokenFor } from '../installation/planted';
import { SmallDisk } from '../installation/small-disk';
import { check } from './check';
import { Fleet } from './fleet';
import { People } from './people';
import { Screens } from './screens';
import { Trouble, type Sample } from './trouble';

export interface Wanted {
	readonly minutes: number;
	readonly units: number;
	readonly seed: number;
	/** Between one trouble and the next. */
	readonly troubleEverySeconds: number;
	readonly say: (words: string) => void;
}
export interface Found {
	/** What is wrong; empty when nothing is. */
	readonly faults: readonly string[];
	/** Pages that took longer than they may although nothing was away: how long depends on the machine. */
	readonly slow: readonly string[];
}

const LONGEST_PAGE_MS = 2_000;
const DISK_MEGABYTES = 4_000;

/** The same numbers for the same seed (mulberry32). */
function chances(seed: number): () => number {
	let state = seed;
	return () => {
		state = (state + 0x6d2b79f5) | 0;
		let mixed = Math.imul(state ^ (state >>> 15), 1 | state);
		mixed = (mixed + Math.imul(mixed ^ (mixed >>> 7), 61 | mixed)) ^ mixed;
		return ((mixed ^ (mixed >>> 14)) >>> 0) / 2 ** 32;
	};
}

/**
 * Limen with two processes and as many stand-ins as wanted, for so many minutes: people and programs at work, units that fail,
 * and one part after the other killed, cut or ended; afterwards stand-ins, database and ledger are compared.
 */
export async function soak({ minutes, units, seed, troubleEverySeconds, say }: Wanted): Promise<Found> {
	const chance = chances(seed);
	const disk = SmallDisk.mount(DISK_MEGABYTES);
	if (!disk) say('No disk of its own can be mounted by this user: none fills up.');
	const here = await Installation.create((ports) => {
		// All that the demo has for its units; people sign in as they do anywhere
		const demo = { ...demoOnly(ports), LIMEN_PROCESSES: '2' } as Record<string, string>;
		delete demo.LIMEN_DEMO;
		return demo;
	}, disk?.folder);
	const fleet = new Fleet(here);
	let screens: Screens | null = null;
	try {
		here.withClock();
		await here.start();
		const { cookie, customerId } = await planted(here);
		const acts = ['see', 'claim', 'bind', 'unbind', 'retry', 'prove'];
		const token = await tokenFor(here, cookie, customerId, acts);
		const positions = await planned(here, customerId, units);
		await fleet.start();
		const people = new People(here, fleet, customerId, token, cookie, positions, chance);
		const from = Date.now();
		for (let at = 0; at < units; at += 50) await people.arrive(positions.slice(at, at + 50));
		say(`${counted(units, 'unit')} claimed and bound in ${seconds(from)} s; they come online.`);
		const trouble = new Trouble(here, fleet, chance, disk);
		people.start(3, 2);
		screens = await Screens.open(here, cookie, chance);
		trouble.start(troubleEverySeconds * 1_000);
		await sleep(minutes * 60_000);
		await trouble.stop();
		await Promise.all([people.stop(), screens?.stop()]);
		const { away } = trouble;
		say(
			`${counted(away.length, 'trouble')}: ${away.map(({ what, from, back }) => `${what} (${((back - from) / 1_000).toFixed(1)} s)`).join(', ')}.`
		);
		const { binds, unbinds, proofs, sends, batches } = people.acknowledged;
		say(
			`Acknowledged: ${batches.length} batches, ${binds} bindings, ${unbinds} ends of bindings, ${proofs} proofs, ${sends} sends; refused: ${people.refused.length}.`
		);
		const settling = Date.now();
		const faults = await check(here, fleet, people);
		if (screens) {
			say(`In a browser: ${screens.came} rooms come to by clicking, ${screens.reloaded} times loaded anew.`);
			faults.push(...(await screens.check()));
		}
		say(`At rest and compared after ${seconds(settling)} s.`);
		const undisturbed = people.asked.filter(
			({ at, took }) => !away.some((one) => at < one.to && at + took > one.from)
		);
		faults.push(
			...undisturbed.flatMap(({ path, status }) =>
				status !== null && status < 400 ? [] : [`${path} answered ${status}`]
			)
		);
		const took = undisturbed.map((one) => one.took).sort((a, b) => a - b);
		say(
			`${people.asked.length} pages, ${undisturbed.length} of them while nothing was away: half in ${took[took.length >> 1] ?? 0} ms, the slowest in ${took.at(-1) ?? 0} ms.`
		);
		say(flatness(trouble.samples));
		const slow = undisturbed.filter((one) => one.took > LONGEST_PAGE_MS);
		return {
			faults: [...new Set([...faults, ...people.refused])],
			slow: slow.map(({ path, took }) => `${path}: ${took} ms`)
		};
	} finally {
		await screens?.close();
		await stopPrograms();
		await here.remove();
		disk?.remove();
		fleet.remove();
	}
}

const seconds = (from: number): string => ((Date.now() - from) / 1_000).toFixed(0);

/** A site with a gateway's position for each unit, with all that it needs. */
const planned = (here: Installation, customerId: string, count: number) =>
	here.query<{ id: string; siteId: string; hostname: string }>(
		`with place as (
			insert into site (id, customer_id, name, time_zone, uplink)
			select gen_random_uuid(), $1, 'Soak site ' || n, 'Pacific/Auckland', 'fibre' from generate_series(1, $2::int) n returning id, customer_id, name
		), numbered as (select *, row_number() over (order by name) as number from place)
		insert into position (id, site_id, customer_id, name, role_id, profile_id, values)
		select gen_random_uuid(), numbered.id, customer_id, 'gw-1', 'gateway', profile.id,
			jsonb_build_object('hostname', 'soak-' || number, 'networks', host('10.64.0.0'::inet + number * 1024) || '/22')
		from numbered, profile where profile.name = 'Clinic gateway' returning id, site_id as "siteId", values->>'hostname' as hostname`,
		[customerId, count]
	);

/** The highest of each half: what grows shows in the second. */
function flatness(samples: readonly Sample[]): string {
	const half = samples.length >> 1;
	const most = (of: 'memory' | 'handles' | 'connections') =>
		[samples.slice(0, half), samples.slice(half)]
			.map((part) => Math.round(Math.max(0, ...part.map((one) => one[of]))))
			.join(' and ');
	return `At most, in the first and the second half: ${most('memory')} MB of memory, ${most('handles')} file handles, ${most('connections')} connections to the database.`;
}
