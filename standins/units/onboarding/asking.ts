import { randomBytes } from 'node:crypto';
import { ONBOARDING, type ConveyedInformation } from '../../../src/core/bootstrap';
import { fromPem } from '../../../src/core/trust';
import { requestLease } from '../../network/dhcp';
import { resolveName } from '../../network/names';
import { askTime } from '../../network/time';
import { wellKnownName } from '../../registry/redirector';
import { serverDate, type Caller, type Server } from './bootstrap-client';
import { serverNamed } from './finding';
import { DURATIONS, FACTORY_TIME } from '../flash';
import { deviceCertificate } from './identity';
import type { Lamp } from '../lamps';
import { meddle } from './meddling';
import type { MakerKeys, Self } from '../self';
import { artifactsFor } from './storage';
import { believe } from './trust';

type Redirection = Exclude<ConveyedInformation, { [ONBOARDING]: unknown }>;

/** More than this behind the server's clock, no certificate can be trusted. */
const CLOCK_TOLERANCE_MS = 24 * 3_600_000;
/** Of a nonce (RFC 8572: 16 to 32). */
const NONCE_OCTETS = 32;
/** Whom a unit asks what to become, and as whom: by its cable, its network, its maker, or the stick in it. */
export class Asking {
	/** What the network's time service said; null for a unit that does not know the time. */
	private time: number | null = null;

	constructor(private readonly self: Self) {}

	/** Cable, lease, names and clock: whom to ask, in that order; none, with the reason on the console, when one is missing. */
	async servers(carried: Redirection | null, signal: AbortSignal): Promise<readonly Server[]> {
		await this.self.pause(DURATIONS.link, signal);
		const give = (words: string, lamp: Lamp = 'seeking') => {
			this.self.lamp = lamp;
			this.self.say(words);
			return [];
		};
		if (this.self.cable !== 'uplink')
			return give(
				this.self.cable === 'none'
					? 'no link on the uplink port'
					: 'link on a LAN port, none on the uplink port',
				'cut off'
			);
		if (!this.self.hasWayOut) return give('nothing answers on the uplink', 'cut off');
		const lease = await requestLease(
			this.self.world.dhcpPort,
			this.self.label.mac,
			Math.max(1_000, DURATIONS.patience * this.self.world.pace)
		);
		if (!lease) return give('no address: no DHCP server answered', 'cut off');
		this.time = this.self.faults.has('wrong-clock')
			? null
			: await askTime(lease.timeServer, this.self.world.timePort);
		const named = this.self.faults.has('no-option') ? [] : lease.bootstrapServers;
		const servers: Server[] = [];
		const told =
			carried && (await serverNamed(carried, true, (name) => this.addressOf(name), this.self.label.line));
		if (told !== null && typeof told !== 'string') servers.push(told);
		for (const uri of named) {
			const { trust } = this.self.world;
			// One that believes vouchers was made to know nobody's server but its maker's
			const known = this.keys ? null : trust;
			const server = await this.serverAt(uri, known, known !== null || !uri.startsWith('https:'));
			if (server) servers.push(server);
		}
		const { wellKnownPort } = this.self.world;
		if (this.keys && wellKnownPort !== undefined) {
			const uri = `https://${wellKnownName(this.self.label.maker)}:${wellKnownPort}`;
			const server = await this.serverAt(uri, this.keys.devices.chain.at(-1)!, true);
			if (server) servers.push(server);
		}
		const [first] = named;
		if (servers.length === 0)
			return give(
				first === undefined
					? 'no bootstrap server named by DHCP'
					: `the name ${new URL(first).hostname} could not be resolved`
			);
		if (this.keys) return servers;
		const [server] = servers;
		const theirs = await serverDate(server!, signal).catch(() => null);
		if (theirs === null) return give(`no answer from ${new URL(server!.uri).hostname}`);
		const own = this.time ?? FACTORY_TIME;
		if (Math.abs(own - theirs) > CLOCK_TOLERANCE_MS)
			return give(`clock says ${new Date(own).getUTCFullYear()}: the server cannot be trusted`);
		return servers;
	}
	private async serverAt(uri: string, trust: string | null, isTrusted: boolean): Promise<Server | null> {
		const address = await this.addressOf(new URL(uri).hostname);
		return address === null ? null : { uri, address, trust, isTrusted, from: this.self.label.line };
	}
	async addressOf(name: string): Promise<string | null> {
		return this.self.faults.has('no-name') ? null : resolveName(name, '127.0.0.1', this.self.world.dnsPort);
	}

	/** What the stick in it has for it, once it believes that. */
	async readStorage(): Promise<ConveyedInformation | null> {
		const given = this.self.storage && artifactsFor(this.self.storage, this.self.label.serial);
		if (!given) return null;
		const caller = await this.caller(this.self.faults.has('wrong-clock') ? null : Date.now());
		if (!caller.believes) return null;
		const believed = await believe(given, caller.believes);
		const problem = !believed.ok ? believed.problem : believed.isSigned ? null : 'it is not signed';
		if (problem === null && believed.ok) return believed.information;
		this.self.say(`USB stick: ${problem}`);
		return null;
	}

	/** What its maker signs with; it believes that maker's vouchers alone then. */
	private get keys(): MakerKeys | undefined {
		return this.self.world.makers?.get(this.self.label.maker);
	}

	async caller(time: number | null = this.time): Promise<Caller> {
		const { keys } = this;
		const { faults } = this.self;
		const { serial, claimCode } = this.self.label;
		if (keys) this.self.flash.identity ??= await deviceCertificate(serial, keys.devices);
		return {
			serial,
			claimCode: faults.has('wrong-code') ? claimCode.split('').reverse().join('') : claimCode,
			identity: this.self.flash.identity ?? null,
			believes: keys
				? {
						serial,
						root: fromPem(keys.vouchers.chain.at(-1)!),
						now: time === null ? null : new Date(),
						nonce: time === null ? randomBytes(NONCE_OCTETS).toString('base64') : null
					}
				: null,
			...(keys && {
				meddle: (given, server) => meddle(given, server, { serial, faults, maker: keys.vouchers })
			})
		};
	}
}
