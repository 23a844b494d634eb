import { mkdtempSync, readFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { Readable } from 'node:stream';
import * as v from 'valibot';
import { portTitle, type CableEnd } from '../../../src/core/plan';
import { bindUnit } from '../../../src/lib/server/binding';
import { runAs, SETUP } from '../../../src/lib/server/database';
import { uploadImage } from '../../../src/lib/server/firmware';
import { claimBatch } from '../../../src/lib/server/intake';
import { subscribe } from '../../../src/lib/server/live';
import {
	cablingOf,
	decideCabling,
	importPlan,
	planSchema,
	planTunnel,
	renewTunnelSecret,
	type Plan
} from '../../../src/lib/server/plan';
import { lastProof, proveSite } from '../../../src/lib/server/proof';
import { rehearseSites, type SiteRehearsal } from '../../../src/lib/server/watch';
import type { Unit } from '../../../standins/units/unit';
import { Yard } from '../../../standins/yard/store';
import { newModelLabel } from '../../model-label';
import { ACTOR, customerId, TEST_SITE, unwalled } from '../making';
import { tunnelPool } from '../network';
import { simulatedNetwork } from '../simulated';
import {
	front,
	randomOf,
	randomSite,
	VARIANTS,
	type Kind,
	type Made,
	type Place,
	type Plant
} from './twin-plants';

/** Random sites, some with one planted fault: what their rehearsals say beside what units of the yard then do. */
/** By position. */
interface Ran {
	readonly said: ReadonlyMap<string, string>;
	readonly happened: ReadonlyMap<string, string>;
}

export interface World extends Made {
	readonly kind: Kind;
	readonly fault: string;
	id: string;
	units: Unit[];
	ran: Promise<Ran> | null;
}

/** A yard that tells whoever waits when anything in it is otherwise. */
class WatchedYard extends Yard {
	readonly listeners = new Set<() => void>();
	override changed(): void {
		super.changed();
		for (const listener of this.listeners ?? []) listener();
	}
}

const CUSTOMER = 'Pippin & Loaf';
const PACE = 0.002;
const demo = (name: string) =>
	JSON.parse(readFileSync(new URL(`../../../demo/${name}`, import.meta.url), 'utf8'));

let made = 0;
/** A hub and many sites, of which some have one fault, in a yard of their own. */
export class TwinWorlds {
	readonly worlds: World[];
	readonly #prefix = `${TEST_SITE} twins ${(made += 1)} ${Date.now() % 1_000_000}`;
	readonly #hub = `${this.#prefix} hub`;
	readonly #otherHub = `${this.#prefix} other hub`;
	#customerId = '';
	#yard!: WatchedYard;
	#network!: Awaited<ReturnType<typeof simulatedNetwork>>;

	/** `faults`: of each site, null for none. One with the networks of another follows one that is well. */
	constructor(seed: number, faults: readonly (Plant | null)[]) {
		const pick = randomOf(seed);
		const sites: Made[] = [];
		this.worlds = faults.map((plant, index) => {
			const site = randomSite(pick, this.#prefix, index, plant);
			plant?.plant(site, sites.at(-1));
			sites.push(site);
			return {
				...site,
				kind: plant?.kind ?? 'none',
				fault: plant?.name ?? '',
				id: '',
				units: [],
				ran: null
			};
		});
	}

	/** Plans everything, and brings the hub online, which is told of the tunnels that there are by then. */
	async begin(): Promise<void> {
		this.#network = await simulatedNetwork(PACE);
		this.#yard = new WatchedYard(
			[],
			join(mkdtempSync(join(tmpdir(), 'twins-')), 'flash.json'),
			this.#network.world
		);
		const content = Readable.from([Buffer.alloc(9 * 2 ** 20, 7)]);
		await uploadImage(
			{ firmwareLine: 'brackwater-bw', version: '3.2.0', fileName: 'large.bin', content },
			ACTOR
		);
		await this.#plan();
		await this.#tunnels('before the hub', 'hub-1');
		await this.#bring(this.#hub, [{ name: 'hub-1', model: 'VT-340', version: '4.2.1' }]);
		const [hub] = this.#yard.units.values();
		hub!.switchOn();
		await this.#until(
			async () => (await this.#runsAt([await this.#siteId(this.#hub)]))[0]!.outcome !== 'open'
		);
		await this.#tunnels('after the hub', 'hub-1');
		await this.#tunnels('to a hub that is away', 'hub-2');
		for (const world of this.worlds) await this.#prepare(world);
	}

	async end(): Promise<void> {
		for (const unit of this.#yard.units.values()) await unit.switchOff();
		this.#yard.keep();
		this.#network.close();
	}

	async #plan(): Promise<void> {
		const profiles: Plan['profiles'] = demo('profiles.json');
		const hubAt = (name: string, outside: string): Plan['positions'][number] => ({
			customer: CUSTOMER,
			site: name === 'hub-1' ? this.#hub : this.#otherHub,
			name,
			role: 'router',
			profile: 'Hub router',
			values: {
				hostname: name,
				uplink_address: `${outside}/28`,
				uplink_gateway: '203.0.113.1',
				outside_address: outside,
				reachable_networks: ['10.0.0.0/22', '10.64.0.0/13'],
				networks: '10.0.0.0/22'
			}
		});
		const site = (
			name: string,
			uplink: Plan['sites'][number]['uplink'],
			values: Plan['sites'][number]['values']
		) => ({
			customer: CUSTOMER,
			name,
			street: '',
			locality: '',
			latitude: 0,
			longitude: 0,
			timeZone: 'Pacific/Auckland',
			contact: '',
			uplink,
			sim: '8964555000120733108',
			apn: 'branch.example',
			values
		});
		const plan = v.parse(planSchema, {
			parts: [],
			profiles: Object.entries(VARIANTS).map(([name, [like, targets]]) => ({
				...profiles.find((one) => one.name === like)!,
				name,
				targets
			})),
			customers: [],
			sites: [
				site(this.#hub, 'fibre', {}),
				site(this.#otherHub, 'fibre', {}),
				...this.worlds.map(({ name, uplink, values }) => site(name, uplink, values))
			],
			positions: [
				hubAt('hub-1', '203.0.113.10'),
				hubAt('hub-2', '203.0.113.11'),
				...this.worlds.flatMap(({ places }) => places.map((place) => ({ ...place, customer: CUSTOMER })))
			]
		});
		await runAs(SETUP, () => importPlan(plan, ACTOR));
		this.#customerId = await customerId(CUSTOMER);
		await tunnelPool(this.#customerId);
		for (const world of this.worlds) world.id = await this.#siteId(world.name);
	}

	async #siteId(name: string): Promise<string> {
		return (await unwalled()('site').where({ customer_id: this.#customerId, name }).first('id')).id;
	}
	async #positionId(siteId: string, name: string): Promise<string> {
		return (await unwalled()('position').where({ site_id: siteId, name }).first('id')).id;
	}

	async #tunnels(when: Made['tunnel'], hub: string): Promise<void> {
		const far = await this.#positionId(await this.#siteId(hub === 'hub-1' ? this.#hub : this.#otherHub), hub);
		for (const world of this.worlds.filter(({ tunnel }) => tunnel === when))
			okay(
				await planTunnel(
					{ customer: this.#customerId, near: await this.#positionId(world.id, front(world).name), far },
					ACTOR
				)
			);
	}

	/** Claims units by a delivery note, binds them, and puts them into the yard, off. */
	async #bring(
		siteName: string,
		places: readonly Pick<Place, 'name' | 'model' | 'version'>[]
	): Promise<Unit[]> {
		const siteId = await this.#siteId(siteName);
		const units: Unit[] = [];
		for (const { name, model, version } of places) {
			const label = newModelLabel(model);
			const note = `serial,mac,claim code,firmware\n${label.serial},${label.mac},${label.claimCode},${version ?? ''}`;
			const claimed = okay(await claimBatch(this.#customerId, note, ACTOR));
			okay(await bindUnit(await this.#positionId(siteId, name), claimed.rows[0]!.unitId!, ACTOR));
			// One of which nobody said what it runs comes as its maker makes it now
			const newest = { VT: '4.2.1', OG: '7.0.3', LF: '2.6.0', BW: '3.1.0' }[model.slice(0, 2)]!;
			this.#yard.bring([{ ...label, version: version ?? newest, powered: false }]);
			const unit = this.#yard.units.get(label.serial)!;
			unit.carriedTo = siteName;
			units.push(unit);
		}
		return units;
	}

	/** Units at hand, cables where they are planned. */
	async #prepare(world: World): Promise<void> {
		world.units = await this.#bring(world.name, world.places);
		const { positions } = (await cablingOf([world.id])).get(world.id)!;
		const end = (name: string, port: string): CableEnd => ({
			positionId: positions.find((one) => one.name === name)!.id,
			port
		});
		if (world.plug) {
			const { point, into, port } = world.plug;
			const { cables } = (await cablingOf([world.id])).get(world.id)!;
			const own = end(point, 'uplink');
			const far = end(into, port);
			const others = cables.filter(
				(one) =>
					one.near.positionId !== own.positionId &&
					!(one.far?.positionId === far.positionId && one.far.port === port)
			);
			okay(await decideCabling(world.id, [...others, { near: own, far }], ACTOR));
		}
		if (world.isSecretRenewed) {
			const near = await this.#positionId(world.id, front(world).name);
			const { id } = await unwalled()('tunnel').where({ near_position: near }).first('id');
			okay(await renewTunnelSecret(id, ACTOR));
		}
		const { cables } = (await cablingOf([world.id])).get(world.id)!;
		const cabled = new Set(cables.map(({ near }) => near.positionId));
		const at = (positionId: string) => {
			const position = positions.find(({ id }) => id === positionId)!;
			return { position, unit: world.units[world.places.findIndex(({ name }) => name === position.name)]! };
		};
		// What no cable is planned for hangs on none; a gateway with a radio needs none
		for (const { id, roleId } of positions)
			if (!cabled.has(id) && (roleId === 'switch' || roleId === 'access-point')) at(id).unit.cable = 'none';
		for (const { near, far } of cables) {
			if (!far) continue;
			const feeder = at(far.positionId);
			const port = feeder.position.portNames[far.port];
			if (port === undefined) throw new Error(`${world.name}: no port ${portTitle(far.port)}`);
			at(near.positionId).unit.plug = { serial: feeder.unit.label.serial, port };
		}
	}

	async #runsAt(siteIds: readonly string[]): Promise<readonly RunRow[]> {
		const { rows } = await unwalled().raw(
			`select position.name, run.outcome, failure_step as "failedAt", failure_words as words
			from binding join run on run.id = binding.run_id join position on position.id = binding.position_id
			where position.site_id = any (?::uuid[]) order by position.name`,
			[[...siteIds]]
		);
		return rows;
	}

	/** Resolves once something holds; it is asked whenever anything moved in Limen or in the yard. */
	async #until(holds: () => Promise<boolean>): Promise<void> {
		let moved: () => void = () => undefined;
		const listener = () => moved();
		this.#yard.listeners.add(listener);
		const stop = subscribe(listener, () => true);
		try {
			for (;;) {
				const next = new Promise<void>((resolve) => (moved = resolve));
				if (await holds()) return;
				await next;
			}
		} finally {
			stop();
			this.#yard.listeners.delete(listener);
		}
	}

	/** Rehearses a site and then switches its units on: what was said of each, and what came of it. */
	run(world: World): Promise<Ran> {
		return (world.ran = this.#run(world));
	}

	async #run(world: World): Promise<Ran> {
		if (world.after) await this.worlds[world.after.index]!.ran;
		const [rehearsal] = await rehearseSites([world.id]);
		return { said: saidOf(rehearsal!), happened: await this.#happens(world) };
	}

	/** Where each unit of a site stopped once it was switched on, or which checks did not hold. */
	async #happens(world: World): Promise<ReadonlyMap<string, string>> {
		for (const unit of world.units) unit.switchOn();
		this.#yard.changed();
		const isDark = (unit: Unit) => unit.doing === 'no power over its cable';
		const isUnplugged = (unit: Unit) => unit.cable === 'none';
		const isLost = (unit: Unit) =>
			unit.flash.configuration !== null && unit.doing === 'nothing answers on the uplink';
		let runs: readonly RunRow[] = [];
		const unitOf = (name: string) => world.units[world.places.findIndex((one) => one.name === name)]!;
		await this.#until(async () => {
			runs = await this.#runsAt([world.id]);
			const hasEnded = (name: string) => runs.find((run) => run.name === name)!.outcome !== 'open';
			const isOver = ({ name }: Place): boolean => {
				const unit = unitOf(name);
				if (hasEnded(name) || isLost(unit) || isUnplugged(unit)) return true;
				const feeder = world.places.find((one) => unitOf(one.name).label.serial === unit.plug?.serial);
				return isDark(unit) && feeder !== undefined && hasEnded(feeder.name);
			};
			if (!world.places.every(isOver)) return false;
			if (runs.some(({ outcome }) => outcome !== 'through')) return true;
			const proof = await lastProof(world.id);
			if (proof === null || proof.state === 'open') return false;
			// A unit that was away for a moment, on a busy machine, was not asked: that says nothing of its network
			if (!proof.checks.some(({ state }) => state === 'unread')) return true;
			await proveSite(world.id, 'asked', ACTOR);
			return false;
		});
		const proof = await lastProof(world.id);
		return new Map(
			runs.map(({ name, outcome, failedAt, words }): [string, string] => {
				if (outcome === 'failed') return [name, stopWords(failedAt!, lineIn(words))];
				if (outcome === 'open') return [name, isLost(unitOf(name)) ? 'proof' : 'calling'];
				const failing = (proof?.checks ?? [])
					.filter((one) => one.positionName === name && one.state !== 'holds' && one.state !== 'cannot')
					.map(({ title }) => title);
				return [name, checkWords(failing)];
			})
		);
	}
}
interface RunRow {
	readonly name: string;
	readonly outcome: string;
	readonly failedAt: string | null;
	readonly words: string | null;
}

const lineIn = (words: string | null): number | null => Number(/^line (\d+):/.exec(words ?? '')?.[1]) || null;
const stopWords = (step: string, line: number | null): string =>
	line === null ? step : `${step} line ${line}`;
/** Which checks do not hold, but for those of the way to another site: which one that is goes by which are online by then. */
function checkWords(titles: readonly string[]): string {
	const others = titles.flatMap((title) => /^(\S+) by way of the hub$/.exec(title)?.[1] ?? []);
	const own = titles.filter((title) => !others.some((host) => title.startsWith(`${host} `)));
	return own.length === 0 ? 'online' : `proof: ${[...own].sort().join(', ')}`;
}

/** What a rehearsal said, in the same words. */
function saidOf({ problems, units }: SiteRehearsal): ReadonlyMap<string, string> {
	return new Map(
		units.map(({ name }): [string, string] => {
			const own = problems.filter(({ position }) => position === name);
			const [first] = own;
			if (!first) return [name, 'online'];
			const checks = own.flatMap((one) => one.checks);
			// Only of a line that it rejects does a unit say which it was
			return [
				name,
				checks.length > 0
					? checkWords(checks)
					: stopWords(first.step, first.step === 'configuration' ? first.line : null)
			];
		})
	);
}

function okay<Done>(
	act: { readonly ok: true; readonly done: Done } | { readonly ok: false; readonly problem: string }
): Done {
	if (!act.ok) throw new Error(act.problem);
	return act.done;
}
