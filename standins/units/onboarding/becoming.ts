import { createHash } from 'node:crypto';
import ssh2 from 'ssh2';
import { fromBase64, type OnboardingInformation, type ProgressType } from '../../../src/core/bootstrap';
import { reportProgress, type Caller, type Server } from './bootstrap-client';
import type { Found } from './finding';
import { DURATIONS } from '../flash';
import { canInstall } from '../configuration/grammar';
import { download } from '../images';
import type { Self } from '../self';
import { portsOf } from '../configuration/wiring';

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

/** How a unit becomes what it was told to be: release, scripts and configuration, each step told to whoever told it (RFC 8572). */
export class Becoming {
	private dropped = false;

	constructor(private readonly self: Self) {}

	/** As it left the factory: power may fail again. */
	forget(): void {
		this.dropped = false;
	}

	/** Nobody is told how it goes: there is no server. */
	async becomeAsCarried(
		information: OnboardingInformation,
		caller: Caller,
		signal: AbortSignal
	): Promise<'again' | 'restart' | 'configured'> {
		const server = { uri: '', address: '', trust: null, isTrusted: false };
		const outcome = await this.become({ kind: 'onboarding', information, server }, caller, signal);
		if (outcome === 'configured') {
			const key = createHash('sha256').update(Buffer.from(this.publicKey().data, 'base64')).digest('base64');
			this.self.say(`set up from its USB stick; its key is SHA256:${key.replace(/=+$/, '')}`);
		}
		return outcome;
	}

	async become(
		found: Exclude<Found, { kind: 'nothing' }>,
		caller: Caller,
		signal: AbortSignal
	): Promise<'again' | 'restart' | 'configured'> {
		const call = { server: found.server, caller };
		try {
			await this.report(
				call,
				'bootstrap-initiated',
				`${this.self.maker.osName} ${this.self.flash.version}`,
				signal
			);
			await this.report(call, 'parsing-initiated', '', signal);
			await this.self.pause(DURATIONS.parse, signal);
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
			this.self.flash.configuration = null;
			this.self.lamp = 'seeking';
			this.self.say(`failed: ${error.message}`);
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
		this.self.say('bootstrap complete');
		return 'configured';
	}

	/** Brings the firmware to the target version; whether a reboot is needed for it. No re-flash of the same version. */
	private async upgraded(
		call: Call,
		image: OnboardingInformation['boot-image'],
		signal: AbortSignal
	): Promise<boolean> {
		const version = image?.['os-version'];
		if (!image || version === undefined || version === this.self.flash.version) return false;
		await this.report(
			call,
			'boot-image-mismatch',
			`runs ${this.self.flash.version}, wanted ${version}`,
			signal
		);
		if (!canInstall(this.self.label.maker, version, this.self.flash.version))
			throw new Reported(
				'boot-image-error',
				`${version} cannot be installed over ${this.self.flash.version}`
			);
		await this.report(call, 'boot-image-initiated', `downloading ${version}`, signal);
		this.self.lamp = 'loading';
		this.self.say(`downloading ${version}`);
		const wanted = image['image-verification']?.[0]?.['hash-value'];
		const got = await download({
			uri: image['download-uri']?.[0] ?? '',
			room: portsOf(this.self.label.model).room,
			damaged: this.self.faults.has('bad-hash'),
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
		this.self.say(`writing ${version} to flash`);
		await this.self.write(version, signal);
		await this.report(call, 'boot-image-installed-rebooting', `${version} installed`, signal);
		return true;
	}

	private async script(
		call: Call,
		name: 'pre-script' | 'post-script',
		script: string | undefined,
		signal: AbortSignal
	): Promise<void> {
		if (script === undefined) return;
		await this.report(call, `${name}-initiated`, '', signal);
		await this.self.pause(DURATIONS.script, signal);
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
		this.self.say(`fetched ${new URL(uri).pathname.split('/').at(-1)}`);
	}

	private async configure(call: Call, text: string, signal: AbortSignal): Promise<void> {
		await this.report(call, 'config-initiated', `${text.trimEnd().split('\n').length} lines`, signal);
		this.self.lamp = 'loading';
		this.self.say('applying the configuration');
		if (this.self.faults.has('drops-out') && !this.dropped) await this.dropOut(signal);
		await this.self.pause(DURATIONS.configure, signal);
		const problem = this.self.problemOf(text);
		if (problem) throw new Reported('config-error', `line ${problem.line}: ${problem.message}`);
		this.self.flash.configuration = text;
		await this.report(call, 'config-complete', '', signal);
	}

	/** Power fails without a word; when it comes back everything begins again. */
	private async dropOut(signal: AbortSignal): Promise<never> {
		this.dropped = true;
		this.self.say('power lost');
		await this.self.pause(DURATIONS.outage + DURATIONS.boot, signal);
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
		const parsed = ssh2.utils.parseKey(this.self.flash.hostKey);
		if (parsed instanceof Error) throw parsed;
		const key = Array.isArray(parsed) ? parsed[0] : parsed;
		return { algorithm: key.type, data: key.getPublicSSH().toString('base64') };
	}
}
