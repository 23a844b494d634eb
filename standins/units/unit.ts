import { createHash } from 'node:crypto';
import { setTimeout as sleep } from 'node:timers/promises';
import ssh2 from 'ssh2';
import {
	fromBase64,
	ONBOARDING,
	REDIRECT,
	type OnboardingInformation,
	type ProgressType
} from '../../src/core/bootstrap';
import { NotUnderstood, type Statement } from './configuration';
import type { Fabric, Plug, Station } from '../network/fabric';
import { requestLease } from '../network/dhcp';
import { resolveName } from '../network/names';
import { askTime } from '../network/time';
import { getBootstrappingData, reportProgress, serverDate, type Server } from './bootstrap-client';
import { DURATIONS, FACTORY_TIME, PAUSES, type Fault, type Flash, type Tweak } from './flash';
import { Changes } from './changes';
import { sayTo, type Happening } from './events';
import { canInstall, firstRejected, grammarOf, startsOn, withoutWord } from './grammar';
import { dialHome, type Answering } from './home';
import { download, Images } from './images';
import { lampOf, type Lamp } from './lamps';
import { MAKERS, type Home, type Maker } from './makers';
import { firstSenseless } from './sense';
import { portsOf, wiringOf, type Wiring } from './wiring';

/** What is printed on the box. */
export interface Label {
	readonly serial: string;
	readonly mac: string;
	readonly claimCode: string;
	readonly model: string;
	readonly maker: string;
	/** The address that it calls from, where it is plugged in. */
	readonly line?: string | undefined;
}

/** Where the simulated network's services are, and how fast time runs: 1 is real, 0.01 a hundred times as fast. */
export interface World {
	readonly dhcpPort: number;
	readonly dnsPort: number;
	readonly timePort: number;
	/** Where what they say to their log server arrives. */
	readonly logPort: number;
	readonly pace: number;
	/** The certificate that units trust, as PEM; null when they call in the clear. */
	readonly trust: string | null;
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

	constructor(
		readonly label: Label,
		readonly flash: Flash,
		private readonly world: World,
		private readonly fabric: Fabric<Unit>,
		private readonly onChange: () => void,
		private readonly tweaks: readonly Tweak[] = []
	) {
		this.maker = MAKERS[label.maker]!;
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

	/** One round: get on the network, then dial home if configured, else ask what to become. */
	private async attempt(signal: AbortSignal): Promise<'again' | 'restart' | 'configured'> {
		const server = await this.findServer(signal);
		signal.throwIfAborted();
		if (this.flash.configuration !== null) {
			if (this.cable !== 'uplink' || !this.fabric.hasWayOut(this)) return 'again';
			const home = this.home();
			if (!this.toldStart) void this.tellLog({ what: 'started', release: this.flash.version });
			this.toldStart = true;
			if (!home) this.say('configured, but without anybody to dial');
			else if (this.changes.isPending && this.faults.has('lost-way'))
				this.say('does not find its home with its new configuration');
			else {
				this.lamp = 'seeking';
				this.say('dialling home');
				this.link = new AbortController();
				await dialHome(
					home,
					this.flash.hostKey,
					this.answering(),
					() => {
						this.lamp = 'working';
						this.say('connected to its home');
						void this.tweakLater(AbortSignal.any([signal, this.link.signal]));
					},
					AbortSignal.any([signal, this.link.signal]),
					this.label.line
				);
			}
			signal.throwIfAborted();
			return 'again';
		}
		if (!server) return 'again';
		try {
			return await this.bootstrap(server, signal);
		} catch (error) {
			signal.throwIfAborted();
			this.flash.configuration = null;
			if (!(error instanceof Reported)) {
				this.say(`call failed: ${(error as Error).message}`);
				return 'again';
			}
			this.lamp = 'seeking';
			this.say(`failed: ${error.message}`);
			await this.report(server, error.type, error.message, signal).catch(() => false);
			if (error.type !== 'bootstrap-error')
				await this.report(
					server,
					'bootstrap-error',
					'bootstrap was not completed; will try again',
					signal
				).catch(() => false);
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
			restart: () => void setTimeout(() => this.power && void this.restart(), ANSWERED_MS)
		});
		const { answer, netconf } = this.maker;
		return netconf ? { netconf: () => netconf(device()) } : (command) => answer(command, device());
	}

	/** Cable, lease, name and clock; null with its reason on the console when one is missing. */
	private async findServer(signal: AbortSignal): Promise<Server | null> {
		await this.pause(DURATIONS.link, signal);
		const give = (words: string, lamp: Lamp = 'seeking') => {
			this.lamp = lamp;
			this.say(words);
			return null;
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
		const [uri] = lease.bootstrapServers;
		if (!uri) return give('no bootstrap server named by DHCP');
		const { hostname } = new URL(uri);
		const address = this.faults.has('no-name')
			? null
			: await resolveName(hostname, lease.nameServer, this.world.dnsPort);
		if (!address) return give(`the name ${hostname} could not be resolved`);
		const time = this.faults.has('wrong-clock') ? null : await askTime(lease.timeServer, this.world.timePort);
		const server = { uri, address, trust: this.world.trust, from: this.label.line };
		const theirs = await serverDate(server, signal).catch(() => null);
		if (theirs === null) return give(`no answer from ${hostname}`);
		if (Math.abs((time ?? FACTORY_TIME) - theirs) > CLOCK_TOLERANCE_MS)
			return give(
				`clock says ${new Date(time ?? FACTORY_TIME).getUTCFullYear()}: the server cannot be trusted`
			);
		return server;
	}

	private async bootstrap(server: Server, signal: AbortSignal): Promise<'again' | 'restart' | 'configured'> {
		this.lamp = 'seeking';
		this.say('calling the bootstrap server');
		const about = { model: this.label.model, osName: this.maker.osName, osVersion: this.flash.version };
		const answer = await getBootstrappingData(server, this.login(), about, signal);
		if (answer.kind === 'nothing') {
			this.say(`the bootstrap server has nothing for this unit (${answer.status})`);
			return 'again';
		}
		await this.report(server, 'bootstrap-initiated', `${about.osName} ${about.osVersion}`, signal);
		await this.report(server, 'parsing-initiated', '', signal);
		await this.pause(DURATIONS.parse, signal);
		if (answer.kind === 'unusable') throw new Reported('parsing-error', answer.problem);
		if (REDIRECT in answer.information)
			throw new Reported('parsing-error', 'redirects are not followed by this firmware');
		const onboarding = answer.information[ONBOARDING];
		await this.report(server, 'parsing-complete', '', signal);
		if (await this.upgraded(server, onboarding['boot-image'], signal)) return 'restart';
		await this.script(server, 'pre-script', onboarding['pre-configuration-script'], signal);
		await this.configure(server, fromBase64(onboarding.configuration ?? ''), signal);
		await this.script(server, 'post-script', onboarding['post-configuration-script'], signal);
		await this.report(server, 'bootstrap-complete', '', signal, true);
		this.say('bootstrap complete');
		return 'configured';
	}

	/** Brings the firmware to the target version; whether a reboot is needed for it. No re-flash of the same version. */
	private async upgraded(
		server: Server,
		image: OnboardingInformation['boot-image'],
		signal: AbortSignal
	): Promise<boolean> {
		const version = image?.['os-version'];
		if (!image || version === undefined || version === this.flash.version) return false;
		await this.report(server, 'boot-image-mismatch', `runs ${this.flash.version}, wanted ${version}`, signal);
		if (!canInstall(this.label.maker, version, this.flash.version))
			throw new Reported('boot-image-error', `${version} cannot be installed over ${this.flash.version}`);
		await this.report(server, 'boot-image-initiated', `downloading ${version}`, signal);
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
		await this.report(server, 'boot-image-installed-rebooting', `${version} installed`, signal);
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
		server: Server,
		name: 'pre-script' | 'post-script',
		script: string | undefined,
		signal: AbortSignal
	): Promise<void> {
		if (script === undefined) return;
		await this.report(server, `${name}-initiated`, '', signal);
		await this.pause(DURATIONS.script, signal);
		const commands = fromBase64(script).trim().split('\n');
		for (const [index, command] of commands.entries()) {
			const uri = /^fetch (\S+)$/.exec(command.trim())?.[1];
			if (uri !== undefined) await this.fetchFile(uri, `${name}-error`, `line ${index + 1}`, signal);
		}
		await this.report(server, `${name}-complete`, `${commands.length} commands run`, signal);
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

	private async configure(server: Server, text: string, signal: AbortSignal): Promise<void> {
		await this.report(server, 'config-initiated', `${text.trimEnd().split('\n').length} lines`, signal);
		this.lamp = 'loading';
		this.say('applying the configuration');
		if (this.faults.has('drops-out') && !this.dropped) await this.dropOut(signal);
		await this.pause(DURATIONS.configure, signal);
		const problem = this.problemOf(text);
		if (problem) throw new Reported('config-error', `line ${problem.line}: ${problem.message}`);
		this.flash.configuration = text;
		await this.report(server, 'config-complete', '', signal);
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
		server: Server,
		type: ProgressType,
		message: string,
		signal: AbortSignal,
		withKey = false
	): Promise<boolean> {
		return reportProgress(server, this.login(), type, message, withKey ? this.publicKey() : null, signal);
	}

	private login() {
		const claimCode = this.faults.has('wrong-code')
			? this.label.claimCode.split('').reverse().join('')
			: this.label.claimCode;
		return { serial: this.label.serial, claimCode };
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

	private read(text: string): Statement[] | NotUnderstood {
		try {
			return this.maker.format.read(text);
		} catch (error) {
			if (error instanceof NotUnderstood) return error;
			throw error;
		}
	}
}
