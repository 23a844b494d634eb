import { setTimeout as sleep } from 'node:timers/promises';
import { expect } from 'chai';
import ssh2 from 'ssh2';
import { bindUnit } from '../../src/lib/server/binding';
import { createPool, planTunnel } from '../../src/lib/server/plan';
import { lastProof, proveSite } from '../../src/lib/server/proof';
import { Fabric } from '../../standins/network/fabric';
import type { Plug, Station } from '../../standins/network/station';
import { NO_IMAGES } from '../../standins/units/images';
import { Changes } from '../../standins/units/configuration/changes';
import type { Fault } from '../../standins/units/flash';
import { newHostKey } from '../../standins/units/home';
import { MAKERS } from '../../standins/units/makers';
import { wiringOf } from '../../standins/units/configuration/wiring';
import { dial, onChange } from './dialling';
import { ACTOR, customerId, invoke, newUnit, report, runOf, TEST_SITE, unwalled } from './making';

type Role = 'router' | 'large-router' | 'access-point';
type Said = ReturnType<(typeof MAKERS)[string]['answer']>;
const MODELS = {
	router: { model: 'VT-120', maker: 'veltrane', version: '4.2.1' },
	'large-router': { model: 'VT-340', maker: 'veltrane', version: '4.2.1' },
	'access-point': { model: 'LF-6', maker: 'lumenfold', version: '2.6.0' }
} as const;

/** A unit of the simulated network that runs what Limen gave it. */
export class Box implements Station {
	isOn = true;
	cable = 'uplink' as const;
	readonly faults = new Set<Fault>();
	readonly carriedTo = null;
	plug: Plug | null = null;
	/** What it answers instead, by command. */
	readonly says = new Map<string, string>();
	end: () => Promise<void> = async () => undefined;
	answer: (command: string) => Said | Promise<Said> = () => null;

	configuration: string;
	/** The configuration as it was last read: the whole network looks at it all the time. */
	#read: { readonly text: string; readonly wiring: Station['wiring'] } | null = null;

	constructor(
		readonly label: Station['label'],
		readonly version: string,
		readonly given: string
	) {
		this.configuration = given;
	}
	/** As it was when it came online. */
	isWell(): void {
		this.isOn = true;
		this.faults.clear();
		this.plug = null;
		this.says.clear();
		this.configuration = this.given;
	}
	get wiring() {
		const text = this.configuration;
		if (this.#read?.text !== text) this.#read = { text, wiring: wiringOf(this.label.maker, text) };
		return this.#read.wiring;
	}
}
let made = 0;
const BASE = Date.now() % 1_000_000;

/** A pool from which the tunnels of a customer get their addresses; the one that is there, if any. */
export async function tunnelPool(customer: string): Promise<void> {
	if (await unwalled()('pool').where({ customer_id: customer, scope: 'tunnel' }).first()) return;
	await createPool(
		{
			customerId: customer,
			name: 'Tunnels of the tests',
			field: 'tunnels',
			scope: 'tunnel',
			range: { block: '10.255.0.0/22', length: 31 },
			policy: 'next-free',
			warnBelow: 4
		},
		ACTOR
	);
}

/** A customer's sites on a simulated network of their own, whose units run what Limen gives them. */
export class Network {
	readonly boxes: Box[] = [];
	readonly fabric = new Fabric<Box>(() => this.boxes, 0);
	#hub: { readonly positionId: string; readonly network: string } | null = null;

	/** `answersIn`: so many milliseconds a unit takes for each answer. */
	constructor(
		readonly customer: string,
		private readonly answersIn = 0
	) {}

	/** Binds a new unit to a position, and brings it through its bootstrap and online. */
	async online(role: Role, positionId: string): Promise<Box> {
		const { maker, model, version } = MODELS[role];
		const unit = await newUnit(role, this.customer);
		const bound = await bindUnit(positionId, unit.unitId, ACTOR);
		if (!bound.ok) throw new Error(bound.problem);
		const hostKey = newHostKey();
		const key = ssh2.utils.parseKey(hostKey) as ssh2.ParsedKey;
		const data = key.getPublicSSH().toString('base64');
		await invoke('get-bootstrapping-data', unit);
		await report(unit, 'bootstrap-complete', {
			'ssh-host-keys': { 'ssh-host-key': [{ algorithm: 'ssh-ed25519', 'key-data': data }] }
		});
		const { rendering } = await runOf(bound.done.runId);
		const box = new Box({ ...unit, model, maker }, version, rendering as string);
		this.boxes.push(box);
		const device = () => ({
			serial: unit.serial,
			version,
			configuration: box.configuration,
			network: this.fabric.seenFrom(box),
			changes: new Changes(
				{ version, configuration: '', hostKey },
				() => null,
				() => undefined
			),
			images: NO_IMAGES,
			restart: () => undefined
		});
		const say = (command: string) => box.says.get(command) ?? MAKERS[maker]!.answer(command, device());
		box.answer = this.answersIn === 0 ? say : (command) => sleep(this.answersIn).then(() => say(command));
		box.end = dial({ hostKey }, box.answer).end;
		await onChange(['runs'], async () => (await runOf(bound.done.runId)).outcome !== 'open');
		expect(await runOf(bound.done.runId)).to.include({ outcome: 'through' });
		return box;
	}

	/** A site with positions of its own, with everything given that they need. */
	async newSite(name: string, places: readonly (readonly [string, string])[]) {
		made++;
		const network = `10.42.${made * 4}.0/22`;
		const siteName = `${TEST_SITE} ${BASE} ${name}`;
		const { rows } = await unwalled().raw(
			`with made as (
				insert into site (id, customer_id, name, time_zone, uplink, values)
				select gen_random_uuid(), customer.id, ?, 'Pacific/Auckland', 'fibre', ?::jsonb from customer where name = ? returning id, customer_id
			)
			insert into position (id, site_id, customer_id, name, role_id, profile_id, values)
			select gen_random_uuid(), made.id, made.customer_id, wanted.name, profile.role_id, profile.id, jsonb_build_object('hostname', wanted.hostname)
			from made, jsonb_to_recordset(?::jsonb) as wanted(name text, profile text, hostname text) join profile on profile.name = wanted.profile
			returning id, name, site_id`,
			[
				siteName,
				JSON.stringify({ networks: network }),
				this.customer,
				JSON.stringify(
					places.map(([position, profile]) => ({ name: position, profile, hostname: `p${made}-${position}` }))
				)
			]
		);
		const positions = rows as { id: string; name: string; site_id: string }[];
		const idOf = (wanted: string) => positions.find((one) => one.name === wanted)!.id;
		return { id: positions[0]!.site_id, name: siteName, network, idOf };
	}

	/** The customer's hub, with everything given that it needs, and a pool for its tunnels. Its unit comes later. */
	async planHub(): Promise<string> {
		const { idOf, network } = await this.newSite('hub', [['hub-1', 'Hub router']]);
		const positionId = idOf('hub-1');
		const given = {
			uplink_address: '203.0.113.10/28',
			uplink_gateway: '203.0.113.1',
			outside_address: '203.0.113.10',
			reachable_networks: [network, '10.40.0.0/13'],
			networks: network
		};
		await unwalled()('position')
			.where({ id: positionId })
			.update({ values: unwalled().raw('values || ?::jsonb', [JSON.stringify(given)]) });
		await tunnelPool(await customerId(this.customer));
		this.#hub = { positionId, network };
		return positionId;
	}

	/** Plans a tunnel, to the hub unless to another; returns its name. */
	async tunnel(near: string, far = this.#hub!.positionId): Promise<string> {
		const act = await planTunnel({ customer: await customerId(this.customer), near, far }, ACTOR);
		if (!act.ok) throw new Error(act.problem);
		return act.done.name;
	}

	/** A site with a router and, if wanted, an access point; its tunnel is planned before anything is given. */
	async plannedSite(name: string, withPoint: boolean) {
		const site = await this.newSite(name, [
			['rt-1', 'Bakery router'],
			...(withPoint ? [['ap-shop', 'Indoor access point'] as const] : [])
		]);
		return { ...site, tunnel: await this.tunnel(site.idOf('rt-1')) };
	}

	async broughtOnline(site: PlannedSite, withPoint: boolean) {
		return {
			...site,
			router: await this.online('router', site.idOf('rt-1')),
			point: withPoint ? await this.online('access-point', site.idOf('ap-shop')) : null
		};
	}

	/** All is as it was when it came online. */
	isWell(): void {
		for (const box of this.boxes) box.isWell();
		this.fabric.look();
	}

	async end(): Promise<void> {
		await Promise.all(this.boxes.map((box) => box.end()));
	}
}
export type PlannedSite = Awaited<ReturnType<Network['plannedSite']>>;

/** The proof of a site, once it has come to its end. */
export async function ended(siteId: string) {
	await onChange(['proofs'], async () => {
		const proof = await lastProof(siteId);
		return proof !== null && proof.state !== 'open';
	});
	return (await lastProof(siteId))!;
}
export async function proven(siteId: string) {
	const act = await proveSite(siteId, 'asked', ACTOR);
	if (!act.ok) throw new Error(act.problem);
	return ended(siteId);
}
