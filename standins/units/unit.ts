import { setTimeout as sleep } from 'node:timers/promises';
import { ONBOARDING } from '../../src/core/bootstrap';
import { Configured } from './configuration/configured';
import type { Fabric } from '../network/fabric';
import type { Plug, Station } from '../network/station';
import { resolveName } from '../network/names';
import type { Server } from './onboarding/bootstrap-client';
import { DURATIONS, PAUSES, type Fault, type Flash, type Tweak } from './flash';
import { Asking } from './onboarding/asking';
import { Becoming } from './onboarding/becoming';
import type { Label, Self, World } from './self';
import { Changes } from './configuration/changes';
import { sayTo, type Happening } from './events';
import { canInstall, startsOn } from './configuration/grammar';
import { findOut } from './onboarding/finding';
import { dialHome, listenAt, type Answering } from './home';
import { Images } from './images';
import { Meters } from './load';
import { lampOf, type Lamp } from './lamps';
import { MAKERS, type Home, type Maker } from './makers';
import type { Storage } from './onboarding/storage';
import { portsOf, type Wiring } from './configuration/wiring';

/** As long as a timer goes: some three weeks. */
const FOR_EVER_MS = 2 ** 31 - 1;
/** By then an answer has left. */
const ANSWERED_MS = 50;

/** A simulated branch unit: a state machine on real sockets. It knows nothing of Limen but what it is told. */
export class Unit implements Station, Self {
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
	private readonly configured: Configured;
	private readonly asking = new Asking(this);
	private readonly becoming = new Becoming(this);
	readonly maker: Maker;
	private readonly changes: Changes;
	private readonly images: Images;
	private meters: Meters;

	constructor(
		readonly label: Label,
		readonly flash: Flash,
		readonly world: World,
		private readonly fabric: Fabric<Unit>,
		private readonly onChange: () => void,
		private readonly tweaks: readonly Tweak[] = []
	) {
		this.maker = MAKERS[label.maker]!;
		this.configured = new Configured(label, flash, this.maker, this.faults);
		this.meters = new Meters(label.serial, Date.now());
		this.changes = new Changes(
			flash,
			(text) => {
				const problem = this.problemOf(text);
				return problem && `line ${problem.line}: ${problem.message}`;
			},
			(words) => this.say(words),
			() => void this.tellLog({ what: 'configured', by: this.configured.home?.user ?? 'console' })
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
	lamp: Lamp = 'power';
	get isOn(): boolean {
		return this.power && this.lit;
	}
	get hasWayOut(): boolean {
		return this.fabric.hasWayOut(this);
	}
	/** What its configuration makes of it in its network. */
	get wiring(): Wiring | null {
		return this.configured.wiring;
	}
	problemOf(text: string): ReturnType<Configured['problemOf']> {
		return this.configured.problemOf(text);
	}
	get version(): string {
		return this.flash.version;
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
		this.becoming.forget();
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
		const { name, server } = this.configured.logging;
		if (!server || !this.isOn || !this.hasWayOut) return;
		// Said once: what is lost because a name server was slow is lost for good
		const address = await resolveName(server, '127.0.0.1', this.world.dnsPort, 4);
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

	say(words: string): void {
		this.doing = words;
		this.console.push(`${new Date().toISOString()} ${words}`);
		if (this.console.length > 60) this.console.shift();
		this.onChange();
	}

	pause(duration: number, signal: AbortSignal): Promise<void> {
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
			const home = this.configured.home;
			if (home) await this.dial(home, signal);
			await this.pause(PAUSES.first, signal).catch(() => undefined);
		}
	}

	/** One round: get on the network, then dial home if configured, else ask what to become. */
	private async attempt(signal: AbortSignal): Promise<'again' | 'restart' | 'configured'> {
		const carried = this.flash.configuration === null ? await this.asking.readStorage() : null;
		if (carried && ONBOARDING in carried)
			return this.becoming.becomeAsCarried(carried[ONBOARDING], await this.asking.caller(), signal);
		const servers = await this.asking.servers(carried, signal);
		signal.throwIfAborted();
		if (this.flash.configuration !== null) {
			if (this.cable !== 'uplink' || !this.hasWayOut) return 'again';
			const home = this.configured.home;
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
						() => this.configured.accounts,
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

	/** Writes a release to flash; whether it starts with it is seen when it starts. */
	async write(version: string, signal: AbortSignal): Promise<void> {
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

	private async bootstrap(
		servers: readonly Server[],
		signal: AbortSignal
	): Promise<'again' | 'restart' | 'configured'> {
		this.lamp = 'seeking';
		this.say('calling the bootstrap server');
		const about = { model: this.label.model, osName: this.maker.osName, osVersion: this.flash.version };
		const caller = await this.asking.caller();
		for (const [index, first] of servers.entries()) {
			const found = await findOut(first, caller, about, (name) => this.asking.addressOf(name), signal);
			if (found.kind !== 'nothing') return this.becoming.become(found, caller, signal);
			// What the network named is what somebody looks for on its console
			if (index === 0 || this.faults.has('no-option')) this.say(found.words);
		}
		return 'again';
	}
}
