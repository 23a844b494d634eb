import { createHash, randomBytes } from 'node:crypto';
import { setTimeout as sleep } from 'node:timers/promises';
import ssh2 from 'ssh2';
import {
	fromBase64,
	ONBOARDING,
	type ConveyedInformation,
	type OnboardingInformation,
	type ProgressType
} from '../../src/core/bootstrap';
import { NotUnderstood, type Statement } from './configuration';
import { wellKnownName } from '../registry/redirector';
import type { Fabric, Neighbour, Plug, Station } from '../network/fabric';
import { requestLease } from '../network/dhcp';
import { resolveName } from '../network/names';
import { askTime } from '../network/time';
import { reportProgress, serverDate, type Caller, type Server } from './bootstrap-client';
import { DURATIONS, FACTORY_TIME, PAUSES, type Fault, type Flash, type Tweak } from './flash';
import { Changes } from './changes';
import { sayTo, type Happening } from './events';
import { canInstall, firstRejected, grammarOf, startsOn, withoutWord } from './grammar';
import { findOut, serverNamed, type Found } from './finding';
import { dialHome, listenAt, type Answering } from './home';
import { deviceCertificate } from './identity';
import { download, Images } from './images';
import { Meters } from './load';
import { lampOf, type Lamp } from './lamps';
import { meddle } from './meddling';
import { MAKERS, type Account, type Home, type Maker } from './makers';
import { firstSenseless } from './sense';
import { artifactsFor, type Storage } from './storage';
import { believe } from './trust';
import { portsOf, wiringOf, type Wiring } from './wiring';
import { fromPem, type Signer } from '../../src/core/trust';

/** What is printed on the box. */
export interface Label {
	readonly serial: string;
	readonly mac: string;
	readonly claimCode: string;
	readonly model: string;
	readonly maker: string;
	/** The address that it calls from, where it is plugged in. */
	readonly line?: string | undefined;
	/** It listens there for whoever has an account in its configuration. */
	readonly listens?: boolean | undefined;
	readonly beside?: readonly Neighbour[] | undefined;
}

/** Where the simulated network's services are, and how fast time runs: 1 is real, 0.01 a hundred times as fast. */
export interface World {
	readonly dhcpPort: number;
	readonly dnsPort: number;
	readonly timePort: number;
	/** Where what they say to their log server arrives. */
	readonly logPort: number;
	/** Where units listen that do; null for none. */
	readonly sshPort?: number | undefined;
	readonly pace: number;
	/** The certificate that units trust, as PEM; null when they call in the clear. */
	readonly trust: string | null;
	/** What each maker signs with, that gives its units certificates; they believe its vouchers alone. Units of others believe the server. */
	readonly makers?: ReadonlyMap<string, MakerKeys>;
	/** Where the makers' well-known servers are. */
	readonly wellKnownPort?: number;
}
/** A maker's authorities: for its vouchers, whose root its units were made to trust, and for its units' certificates. */
export interface MakerKeys {
	readonly vouchers: Signer;
	readonly devices: Signer;
}

type Redirection = Exclude<ConveyedInformation, { [ONBOARDING]: unknown }>;
/** Whom it tells how it is doing, and as whom. */
interface Call {
	readonly server: Server;
	readonly caller: Caller;
}

/** A failure that is reported to the bootstrap server in these words. */
class Reported extends Error {
	constructor(
		readonly type: ProgressType,
		words: string
	) {
		super(words);
	}
}

/** More than this behind the server's clock, no certificate can be trusted. */
const CLOCK_TOLERANCE_MS = 24 * 3_600_000;
/** Of a nonce (RFC 8572: 16 to 32). */
const NONCE_OCTETS = 32;
/** As long as a timer goes: some three weeks. */
const FOR_EVER_MS = 2 ** 31 - 1;
/** By then an answer has left. */
const ANSWERED_MS = 50;

/** A simulated branch unit: a state machine on real sockets. It knows nothing of Limen but what it is told. */
export class Unit implements Station {
	power = false;
	cable: 'uplink' | 'lan' | 'none' = 'uplink';
	readonly faults = new Set<Fault>();
	/** What its lights and console would say. */
	doing = 'off';
	readonly console: string[] = [];
	/** Where somebody carried it; else it stands where its configuration says. */
	carriedTo: string | null = null;
	/** The stick that is in its USB port. */
	storage: Storage | null = null;
	modules: readonly string[] = [];
	/** Where somebody plugged its cable in; else where people usually do. */
	plug: Plug | null = null;
	private lit = true;
	private link = new AbortController();
	private life: AbortController | undefined;
	private living: Promise<void> = Promise.resolve();
	private dropped = false;
	private readonly maker: Maker;
	private readonly changes: Changes;
	private readonly images: Images;
	private meters: Meters;

	constructor(
		readonly label: Label,
		readonly flash: Flash,
		private readonly world: World,
		private readonly fabric: Fabric<Unit>,
		private readonly onChange: () => void,
		private readonly tweaks: readonly Tweak[] = []
	) {
		this.maker = MAKERS[label.maker]!;
		this.meters = new Meters(label.serial, Date.now());
		this.changes = new Changes(
			flash,
			(text) => {
				const problem = this.problemOf(text);
				return problem && `line ${problem.line}: ${problem.message}`;
			},
			(words) => this.say(words),
			() => void this.tellLog({ what: 'configured', by: this.home()?.user ?? 'console' })
		);
		this.images = new Images({
			problem: (version) =>
				canInstall(label.maker, version, flash.version)
					? null
					: `${version} cannot be installed over ${flash.version}`,
			room: () => portsOf(label.model).room,
			damaged: () => this.faults.has('bad-hash'),
			say: (words) => this.say(words),
			install: (version) => void this.install(version)
		});
	}

	/** What its lights show to whoever stands before it. */
	get light(): string {
		return lampOf(this.label.maker, this.isOn ? this.lamp : 'off');
	}
	private lamp: Lamp = 'power';
	get isOn(): boolean {
		return this.power && this.lit;
	}
	get version(): string {
		return this.flash.version;
	}
	/** What its configuration makes of it in its network. */
	get wiring(): Wiring | null {
		const { configuration } = this.flash;
		if (this.wiredFrom !== configuration) {
			this.wiredFrom = configuration;
			this.wired = this.readWiring(configuration);
		}
		return this.wired;
	}
	private wiredFrom: string | null = null;
	private wired: Wiring | null = null;
	private readWiring(configuration: string | null): Wiring | null {
		try {
			return wiringOf(this.label.maker, configuration);
		} catch (error) {
			if (error instanceof NotUnderstood) return null;
			throw error;
		}
	}

	/** Whether power comes over its cable, where it is fed that way, and whether its packets get out. */
	settle(isFed: boolean, hasWayOut: boolean): void {
		if (this.power && isFed !== this.lit) {
			this.lit = isFed;
			if (isFed) this.begin();
			else void this.end().then(() => this.say('no power over its cable'));
		}
		if (!hasWayOut) this.link.abort();
	}

	switchOn(): void {
		if (this.power) return;
		this.power = true;
		if (this.lit) this.begin();
	}

	private toldStart = false;
	private begin(): void {
		this.toldStart = false;
		const life = new AbortController();
		this.life = life;
		this.living = this.living
			.then(() => this.live(life.signal))
			.catch((error: Error) => {
				if (!life.signal.aborted) this.say(`halted: ${error.message}`);
			});
	}

	async switchOff(): Promise<void> {
		this.power = false;
		await this.end();
		this.say('off');
	}

	private async end(): Promise<void> {
		this.life?.abort();
		await this.living;
		this.images.forget();
		this.changes.powerLost();
		this.flash.configuration = this.flash.saved ?? this.flash.configuration;
		this.flash.saved = null;
	}

	/** Back to how it left the factory, but for its firmware and its key. */
	reset(): void {
		this.flash.configuration = null;
		this.flash.saved = null;
		this.dropped = false;
		if (this.power) void this.restart();
		this.onChange();
	}

	/** Somebody types at the console; what they type over has to be there. */
	type({ words, over, by = 'console' }: Tweak): void {
		const { configuration } = this.flash;
		if (configuration === null || (over !== undefined && !configuration.includes(over))) return;
		// By the configuration that it still runs: the new one may name nobody to tell
		void this.tellLog({ what: 'configured', by });
		this.flash.configuration =
			over === undefined
				? `${configuration.trimEnd()}\n${words}\n`
				: configuration.replace(over, () => words);
		if (this.maker.savesApart) this.flash.saved ??= configuration;
		this.say(`typed at the console: ${words}`);
	}

	/** Says to its log server what happened, if it has one and gets there. */
	private async tellLog(happening: Happening): Promise<void> {
		const read = this.read(this.flash.configuration ?? '');
		const { name, server } = read instanceof NotUnderstood ? {} : this.maker.logging(read);
		if (!server || !this.isOn || !this.fabric.hasWayOut(this)) return;
		const address = await resolveName(server, '127.0.0.1', this.world.dnsPort);
		if (address?.startsWith('127.'))
			sayTo(this.label.maker, {
				name: name ?? this.label.serial,
				happening,
				port: this.world.logPort,
				from: this.label.line
			});
	}

	/** What its file says that somebody types once, who pulls its cable for a moment afterwards. */
	private async tweakLater(signal: AbortSignal): Promise<void> {
		if (this.tweaks.length === 0 || this.flash.isTweaked) return;
		await this.pause(DURATIONS.tweak, signal).catch(() => undefined);
		if (signal.aborted || this.flash.isTweaked) return;
		this.flash.isTweaked = true;
		for (const tweak of this.tweaks) this.type(tweak);
		this.link.abort();
	}

	private async restart(): Promise<void> {
		await this.switchOff();
		this.switchOn();
	}

	private say(words: string): void {
		this.doing = words;
		this.console.push(`${new Date().toISOString()} ${words}`);
		if (this.console.length > 60) this.console.shift();
		this.onChange();
	}

	private pause(duration: number, signal: AbortSignal): Promise<void> {
		return sleep(duration * this.world.pace, undefined, { signal });
	}

	private async live(signal: AbortSignal): Promise<void> {
		this.lamp = 'power';
		this.say('booting');
		await this.pause(DURATIONS.boot, signal);
		this.startRelease();
		let wait: number = PAUSES.first;
		for (;;) {
			const outcome = await this.attempt(signal);
			if (outcome === 'restart') {
				this.lamp = 'power';
				this.say('rebooting');
				await this.pause(DURATIONS.boot, signal);
				this.startRelease();
			} else if (outcome === 'configured') {
				this.say('settling');
				await this.pause(DURATIONS.settle, signal);
				wait = PAUSES.first;
			} else {
				await this.pause(wait, signal);
				wait = Math.min(wait * 1.6, PAUSES.last);
			}
		}
	}

	private dial(home: Home, signal: AbortSignal): Promise<void> {
		this.say('dialling home');
		return dialHome(
			home,
			this.flash.hostKey,
			this.answering(),
			() => {
				this.lamp = 'working';
				this.say('connected to its home');
				void this.tweakLater(signal);
			},
			signal,
			this.label.line
		);
	}

	/** Whom to dial may come with a configuration that it is sent meanwhile. */
	private async dialAgainAndAgain(signal: AbortSignal): Promise<void> {
		while (!signal.aborted) {
			const home = this.home();
			if (home) await this.dial(home, signal);
			await this.pause(PAUSES.first, signal).catch(() => undefined);
		}
	}

	/** One round: get on the network, then dial home if configured, else ask what to become. */
	private async attempt(signal: AbortSignal): Promise<'again' | 'restart' | 'configured'> {
		const carried = this.flash.configuration === null ? await this.readStorage() : null;
		if (carried && ONBOARDING in carried) return this.becomeAsCarried(carried[ONBOARDING], signal);
		const servers = await this.findServers(carried, signal);
		signal.throwIfAborted();
		if (this.flash.configuration !== null) {
			if (this.cable !== 'uplink' || !this.fabric.hasWayOut(this)) return 'again';
			const home = this.home();
			if (!this.toldStart) void this.tellLog({ what: 'started', release: this.flash.version });
			this.toldStart = true;
			const { line, listens } = this.label;
			if (listens && line && this.world.sshPort !== undefined) {
				this.lamp = 'working';
				this.say('listening at its address');
				this.link = new AbortController();
				const linked = AbortSignal.any([signal, this.link.signal]);
				if (!home) void this.tweakLater(linked);
				await Promise.all([
					listenAt(
						line,
						this.world.sshPort,
						this.flash.hostKey,
						() => this.accounts(),
						this.answering(),
						linked
					),
					// Whoever takes it on by and by is dialled beside that
					this.dialAgainAndAgain(linked)
				]);
			} else if (!home) this.say('configured, but without anybody to dial');
			else if (this.changes.isPending && this.faults.has('lost-way'))
				this.say('does not find its home with its new configuration');
			else {
				this.lamp = 'seeking';
				this.link = new AbortController();
				await this.dial(home, AbortSignal.any([signal, this.link.signal]));
			}
			signal.throwIfAborted();
			return 'again';
		}
		if (servers.length === 0) return 'again';
		try {
			return await this.bootstrap(servers, signal);
		} catch (error) {
			signal.throwIfAborted();
			this.flash.configuration = null;
			this.say(`call failed: ${(error as Error).message}`);
			return 'again';
		}
	}

	private answering(): Answering {
		const device = () => ({
			serial: this.label.serial,
			version: this.flash.version,
			configuration: this.flash.configuration ?? '',
			saved: this.flash.saved ?? this.flash.configuration ?? '',
			save: () => void (this.flash.saved = null),
			network: this.fabric.seenFrom(this),
			changes: this.changes,
			images: this.images,
			meters: this.meters,
			restart: () => void setTimeout(() => this.power && void this.restart(), ANSWERED_MS)
		});
		const { answer, netconf } = this.maker;
		return netconf ? { netconf: () => netconf(device()) } : (command) => answer(command, device());
	}

	/** Cable, lease, names and clock: whom to ask, in that order; none, with the reason on the console, when one is missing. */
	private async findServers(carried: Redirection | null, signal: AbortSignal): Promise<readonly Server[]> {
		await this.pause(DURATIONS.link, signal);
		const give = (words: string, lamp: Lamp = 'seeking') => {
			this.lamp = lamp;
			this.say(words);
			return [];
		};
		if (this.cable !== 'uplink')
			return give(
				this.cable === 'none' ? 'no link on the uplink port' : 'link on a LAN port, none on the uplink port',
				'cut off'
			);
		if (!this.fabric.hasWayOut(this)) return give('nothing answers on the uplink', 'cut off');
		const lease = await requestLease(
			this.world.dhcpPort,
			this.label.mac,
			Math.max(1_000, DURATIONS.patience * this.world.pace)
		);
		if (!lease) return give('no address: no DHCP server answered', 'cut off');
		this.time = this.faults.has('wrong-clock') ? null : await askTime(lease.timeServer, this.world.timePort);
		const named = this.faults.has('no-option') ? [] : lease.bootstrapServers;
		const servers: Server[] = [];
		const told =
			carried && (await serverNamed(carried, true, (name) => this.addressOf(name), this.label.line));
		if (told !== null && typeof told !== 'string') servers.push(told);
		for (const uri of named) {
			const { trust } = this.world;
			// One that believes vouchers was made to know nobody's server but its maker's
			const known = this.keys ? null : trust;
			const server = await this.serverAt(uri, known, known !== null || !uri.startsWith('https:'));
			if (server) servers.push(server);
		}
		const { wellKnownPort } = this.world;
		if (this.keys && wellKnownPort !== undefined) {
			const uri = `https://${wellKnownName(this.label.maker)}:${wellKnownPort}`;
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
	/** What the network's time service said; null for a unit that does not know the time. */
	private time: number | null = null;

	private async serverAt(uri: string, trust: string | null, isTrusted: boolean): Promise<Server | null> {
		const address = await this.addressOf(new URL(uri).hostname);
		return address === null ? null : { uri, address, trust, isTrusted, from: this.label.line };
	}
	private async addressOf(name: string): Promise<string | null> {
		return this.faults.has('no-name') ? null : resolveName(name, '127.0.0.1', this.world.dnsPort);
	}

	/** What the stick in it has for it, once it believes that. */
	private async readStorage(): Promise<ConveyedInformation | null> {
		const given = this.storage && artifactsFor(this.storage, this.label.serial);
		if (!given) return null;
		const caller = await this.caller(this.faults.has('wrong-clock') ? null : Date.now());
		if (!caller.believes) return null;
		const believed = await believe(given, caller.believes);
		const problem = !believed.ok ? believed.problem : believed.isSigned ? null : 'it is not signed';
		if (problem === null && believed.ok) return believed.information;
		this.say(`USB stick: ${problem}`);
		return null;
	}

	/** Nobody is told how it goes: there is no server. */
	private async becomeAsCarried(
		information: OnboardingInformation,
		signal: AbortSignal
	): Promise<'again' | 'restart' | 'configured'> {
		const server = { uri: '', address: '', trust: null, isTrusted: false };
		const outcome = await this.become(
			{ kind: 'onboarding', information, server },
			await this.caller(),
			signal
		);
		if (outcome === 'configured') {
			const key = createHash('sha256').update(Buffer.from(this.publicKey().data, 'base64')).digest('base64');
			this.say(`set up from its USB stick; its key is SHA256:${key.replace(/=+$/, '')}`);
		}
		return outcome;
	}

	/** What its maker signs with; it believes that maker's vouchers alone then. */
	private get keys(): MakerKeys | undefined {
		return this.world.makers?.get(this.label.maker);
	}

	private async caller(time: number | null = this.time): Promise<Caller> {
		const { keys, faults } = this;
		const { serial, claimCode } = this.label;
		if (keys) this.flash.identity ??= await deviceCertificate(serial, keys.devices);
		return {
			serial,
			claimCode: faults.has('wrong-code') ? claimCode.split('').reverse().join('') : claimCode,
			identity: this.flash.identity ?? null,
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

	private async bootstrap(
		servers: readonly Server[],
		signal: AbortSignal
	): Promise<'again' | 'restart' | 'configured'> {
		this.lamp = 'seeking';
		this.say('calling the bootstrap server');
		const about = { model: this.label.model, osName: this.maker.osName, osVersion: this.flash.version };
		const caller = await this.caller();
		for (const [index, first] of servers.entries()) {
			const found = await findOut(first, caller, about, (name) => this.addressOf(name), signal);
			if (found.kind !== 'nothing') return this.become(found, caller, signal);
			// What the network named is what somebody looks for on its console
			if (index === 0 || this.faults.has('no-option')) this.say(found.words);
		}
		return 'again';
	}

	private async become(
		found: Exclude<Found, { kind: 'nothing' }>,
		caller: Caller,
		signal: AbortSignal
	): Promise<'again' | 'restart' | 'configured'> {
		const call = { server: found.server, caller };
		try {
			await this.report(call, 'bootstrap-initiated', `${this.maker.osName} ${this.flash.version}`, signal);
			await this.report(call, 'parsing-initiated', '', signal);
			await this.pause(DURATIONS.parse, signal);
			if (found.kind === 'unusable') throw new Reported('parsing-error', found.problem);
			const { information: onboarding } = found;
			await this.report(call, 'parsing-complete', '', signal);
			if (await this.upgraded(call, onboarding['boot-image'], signal)) return 'restart';
			await this.script(call, 'pre-script', onboarding['pre-configuration-script'], signal);
			await this.configure(call, fromBase64(onboarding.configuration ?? ''), signal);
			await this.script(call, 'post-script', onboarding['post-configuration-script'], signal);
			await this.report(call, 'bootstrap-complete', '', signal, true);
		} catch (error) {
			signal.throwIfAborted();
			if (!(error instanceof Reported)) throw error;
			this.flash.configuration = null;
			this.lamp = 'seeking';
			this.say(`failed: ${error.message}`);
			await this.report(call, error.type, error.message, signal).catch(() => false);
			if (error.type !== 'bootstrap-error')
				await this.report(
					call,
					'bootstrap-error',
					'bootstrap was not completed; will try again',
					signal
				).catch(() => false);
			return 'again';
		}
		this.say('bootstrap complete');
		return 'configured';
	}

	/** Brings the firmware to the target version; whether a reboot is needed for it. No re-flash of the same version. */
	private async upgraded(
		call: Call,
		image: OnboardingInformation['boot-image'],
		signal: AbortSignal
	): Promise<boolean> {
		const version = image?.['os-version'];
		if (!image || version === undefined || version === this.flash.version) return false;
		await this.report(call, 'boot-image-mismatch', `runs ${this.flash.version}, wanted ${version}`, signal);
		if (!canInstall(this.label.maker, version, this.flash.version))
			throw new Reported('boot-image-error', `${version} cannot be installed over ${this.flash.version}`);
		await this.report(call, 'boot-image-initiated', `downloading ${version}`, signal);
		this.lamp = 'loading';
		this.say(`downloading ${version}`);
		const wanted = image['image-verification']?.[0]?.['hash-value'];
		const got = await download({
			uri: image['download-uri']?.[0] ?? '',
			room: portsOf(this.label.model).room,
			damaged: this.faults.has('bad-hash'),
			signal
		}).catch((error: Error) => {
			signal.throwIfAborted();
			throw new Reported('boot-image-error', error.message);
		});
		if (wanted !== undefined && got !== wanted)
			throw new Reported(
				'boot-image-error',
				`hash mismatch: image has sha-256 ${got.slice(0, 23)}…, wanted ${wanted.slice(0, 23)}…`
			);
		this.say(`writing ${version} to flash`);
		await this.write(version, signal);
		await this.report(call, 'boot-image-installed-rebooting', `${version} installed`, signal);
		return true;
	}

	/** Writes a release to flash; whether it starts with it is seen when it starts. */
	private async write(version: string, signal: AbortSignal): Promise<void> {
		if (this.faults.has('worn-flash')) await sleep(FOR_EVER_MS, undefined, { signal });
		await this.pause(DURATIONS.flashing, signal);
		this.flash.next = version;
	}

	/** Starts with what was written last, or with what it ran before where that does not start. */
	private startRelease(): void {
		this.meters = new Meters(this.label.serial, Date.now());
		const { next } = this.flash;
		if (next === undefined) return;
		delete this.flash.next;
		if (this.faults.has('old-release') || !startsOn(this.label.maker, next, this.label.model))
			return this.say(`${next} does not start; ${this.flash.version} is started`);
		this.flash.version = next;
	}

	/** Told over its command line: writes what it fetched, and restarts with it. */
	private async install(version: string): Promise<void> {
		const { life } = this;
		if (!life) return;
		await sleep(ANSWERED_MS);
		this.lamp = 'loading';
		this.say(`writing ${version} to flash`);
		await this.write(version, life.signal).then(
			() => this.restart(),
			() => undefined
		);
	}

	private async script(
		call: Call,
		name: 'pre-script' | 'post-script',
		script: string | undefined,
		signal: AbortSignal
	): Promise<void> {
		if (script === undefined) return;
		await this.report(call, `${name}-initiated`, '', signal);
		await this.pause(DURATIONS.script, signal);
		const commands = fromBase64(script).trim().split('\n');
		for (const [index, command] of commands.entries()) {
			const uri = /^fetch (\S+)$/.exec(command.trim())?.[1];
			if (uri !== undefined) await this.fetchFile(uri, `${name}-error`, `line ${index + 1}`, signal);
		}
		await this.report(call, `${name}-complete`, `${commands.length} commands run`, signal);
	}

	/** A file is right when its hash stands in its address. */
	private async fetchFile(uri: string, error: ProgressType, at: string, signal: AbortSignal): Promise<void> {
		const response = await fetch(uri, { signal }).catch((cause: Error) => {
			throw new Reported(error, `${at}: ${cause.message}`);
		});
		if (!response.ok) throw new Reported(error, `${at}: HTTP ${response.status}`);
		const hash = createHash('sha256').update(new Uint8Array(await response.arrayBuffer()));
		if (!uri.includes(hash.digest('hex'))) throw new Reported(error, `${at}: the file is damaged`);
		this.say(`fetched ${new URL(uri).pathname.split('/').at(-1)}`);
	}

	private async configure(call: Call, text: string, signal: AbortSignal): Promise<void> {
		await this.report(call, 'config-initiated', `${text.trimEnd().split('\n').length} lines`, signal);
		this.lamp = 'loading';
		this.say('applying the configuration');
		if (this.faults.has('drops-out') && !this.dropped) await this.dropOut(signal);
		await this.pause(DURATIONS.configure, signal);
		const problem = this.problemOf(text);
		if (problem) throw new Reported('config-error', `line ${problem.line}: ${problem.message}`);
		this.flash.configuration = text;
		await this.report(call, 'config-complete', '', signal);
	}

	/** What its firmware does not understand of a configuration, and where. */
	private problemOf(text: string): { readonly line: number; readonly message: string } | null {
		const grammar = grammarOf(this.label.maker, this.flash.version);
		const known = this.faults.has('rejected-line') ? withoutWord(grammar, this.maker.newWord) : grammar;
		const read = this.read(text);
		if (read instanceof NotUnderstood) return read;
		return firstRejected(read, known) ?? firstSenseless(wiringOf(this.label.maker, text)!);
	}

	/** Power fails without a word; when it comes back everything begins again. */
	private async dropOut(signal: AbortSignal): Promise<never> {
		this.dropped = true;
		this.say('power lost');
		await this.pause(DURATIONS.outage + DURATIONS.boot, signal);
		throw new Error('power came back');
	}

	private async report(
		call: Call,
		type: ProgressType,
		message: string,
		signal: AbortSignal,
		withKey = false
	): Promise<boolean> {
		const { server, caller } = call;
		// Whoever is not trusted is told nothing (RFC 8572 section 5.3)
		if (!server.isTrusted) return false;
		return reportProgress(server, caller, type, message, withKey ? this.publicKey() : null, signal);
	}

	private publicKey(): { algorithm: string; data: string } {
		const parsed = ssh2.utils.parseKey(this.flash.hostKey);
		if (parsed instanceof Error) throw parsed;
		const key = Array.isArray(parsed) ? parsed[0] : parsed;
		return { algorithm: key.type, data: key.getPublicSSH().toString('base64') };
	}

	private home(): Home | null {
		const read = this.read(this.flash.configuration ?? '');
		return read instanceof NotUnderstood ? null : this.maker.home(read);
	}

	private accounts(): readonly Account[] {
		const read = this.read(this.flash.configuration ?? '');
		return read instanceof NotUnderstood ? [] : this.maker.accounts(read);
	}

	private read(text: string): Statement[] | NotUnderstood {
		try {
			return this.maker.format.read(text);
		} catch (error) {
			if (error instanceof NotUnderstood) return error;
			throw error;
		}
	}
}
