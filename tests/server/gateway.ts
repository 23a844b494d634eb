import { Readable } from 'node:stream';
import { expect } from 'chai';
import { findImage, uploadImage } from '../../src/lib/server/firmware';
import { beginSend, lookBeforeSending, type Wanted } from '../../src/lib/server/send';
import { Changes } from '../../standins/units/configuration/changes';
import { canInstall } from '../../standins/units/configuration/grammar';
import { Images } from '../../standins/units/images';
import type { Flash } from '../../standins/units/flash';
import { MAKERS, type Home } from '../../standins/units/makers';
import { ALONE } from '../../standins/network/fabric';
import type { Surroundings } from '../../standins/network/station';
import {
	answering,
	answeringAsRouter,
	dial,
	dialUntilEnded,
	onChange,
	readyToDial,
	type Dialling
} from './dialling';
import { v7 as uuid } from 'uuid';
import { askErrand } from '../../src/lib/server/connections';
import { database } from '../../src/lib/server/database';
import { ACTOR, unwalled } from './making';
import { must } from './profile/profile-making';

/** Of its latest send; undefined when there was none. */
export const stateOf = async (unitId: string): Promise<string | undefined> =>
	(await unwalled()('send').where({ unit_id: unitId }).orderBy('asked_at', 'desc').first('state'))?.state;
export const untilSend = (unitId: string, ...states: readonly string[]) =>
	onChange(['sends'], async () => states.includes((await stateOf(unitId)) ?? 'none'));
const isConnected = async (unitId: string) =>
	(await unwalled()('unit_connection').where({ unit_id: unitId }).first())?.ended_at === null;
const untilConnected = (unitId: string) => onChange(['units'], () => isConnected(unitId));
export const untilLost = (unitId: string) => onChange(['units'], async () => !(await isConnected(unitId)));

/** A gateway as its maker's firmware is, with a configuration that can be changed under a timer; it dials when it is told to. */
export class Gateway {
	readonly flash: Flash;
	readonly changes: Changes;
	readonly images: Images;
	/** Which firmware it starts with after one was written: that one, unless something else is said here. */
	startsWith: string | null = null;
	/** What it fetches arrives damaged. */
	damaged = false;
	/** Why it would not take a configuration. */
	problem: string | null = null;
	/** Commands that end the connection instead of being answered; they have had their effect. */
	breaksAt: RegExp | null = null;
	/** Commands that it does not understand. */
	refuses: RegExp | null = null;
	readonly heard: string[] = [];
	/** A command at which it loses its power, once: before it has done what it says, or after. */
	powerFails: { readonly at: string; readonly when: 'before' | 'after' } | null = null;
	/** What happens elsewhere at the moment at which it hears a command. */
	whenHearing: ((command: string) => void) | null = null;
	/** Another process of Limen that it dials. */
	port: number | undefined;
	call: ReturnType<typeof dial> | null = null;
	/** Whom it sees around it. */
	network: Surroundings = ALONE;
	/** Which serial number it says that it has, where that is not its own. */
	saysSerial: string | null = null;
	/** It lets in what its configuration says no more. */
	stillLetsIn: Home['accounts'] = [];

	constructor(
		readonly unit: Dialling,
		private readonly maker: 'okapira' | 'veltrane' = 'okapira'
	) {
		this.flash = {
			version: maker === 'okapira' ? '7.0.3' : '4.2.1',
			configuration: unit.given,
			hostKey: unit.hostKey
		};
		this.changes = new Changes(
			this.flash,
			() => this.problem,
			() => undefined
		);
		this.images = new Images({
			problem: (version) =>
				canInstall(maker, version, this.flash.version)
					? null
					: `${version} cannot be installed over ${this.flash.version}`,
			room: () => Infinity,
			damaged: () => this.damaged,
			say: () => undefined,
			install: (version) => {
				this.flash.version = this.startsWith ?? version;
				void this.call!.end();
			}
		});
	}

	get runs(): string {
		return this.flash.configuration!;
	}

	async dial(): Promise<void> {
		await untilLost(this.unit.unitId);
		const maker = MAKERS[this.maker]!;
		const { key, accounts } = maker.home(maker.format.read(this.runs))!;
		const answer = (command: string) => {
			this.heard.push(command);
			this.whenHearing?.(command);
			const fails = this.powerFails?.at === command ? this.powerFails.when : null;
			if (fails === 'before') return this.#losePower();
			if (this.refuses?.test(command)) return null;
			const said = maker.answer(command, {
				serial: this.saysSerial ?? this.unit.serial,
				version: this.flash.version,
				configuration: this.runs,
				saved: this.flash.saved ?? this.runs,
				save: () => void (this.flash.saved = null),
				network: this.network,
				changes: this.changes,
				images: this.images,
				restart: () => void this.call!.end()
			});
			if (fails === 'after') return this.#losePower();
			if (!this.breaksAt?.test(command)) return said;
			this.breaksAt = null;
			void this.call!.end();
			return said;
		};
		this.call = dial(this.unit, answer, {
			key,
			accounts: [...accounts, ...this.stillLetsIn],
			...(this.port && { port: this.port })
		});
		// What was only a trial of a login ends at once
		await Promise.race([untilConnected(this.unit.unitId), this.call.ended]);
	}

	#losePower(): null {
		this.powerFails = null;
		this.changes.powerLost();
		void this.call!.end();
		return null;
	}

	/** Dials again whenever its connection has ended, as units do, until it is told not to. */
	staysHome(): () => Promise<void> {
		let stays = true;
		const life = (async () => {
			while (stays) {
				await this.call!.ended;
				if (stays) await this.dial();
			}
		})();
		return async () => {
			stays = false;
			await this.call!.end();
			await life;
		};
	}
}

export const renamed = (unit: Dialling, hostname: string) =>
	unwalled()('position')
		.where({ id: unit.positionId })
		.update({ values: unwalled().raw(`values || ?::jsonb`, [JSON.stringify({ hostname })]) });

/** Made-up images of these versions, where there are none yet. */
export async function imagesOf(firmwareLine: string, versions: readonly string[]): Promise<void> {
	for (const version of versions)
		if (!(await findImage(firmwareLine, version)))
			must(
				await uploadImage(
					{
						firmwareLine,
						version,
						fileName: 'a.bin',
						content: Readable.from([Buffer.alloc(100_000, version)])
					},
					ACTOR
				)
			);
}

/** As if it had been told to install long enough ago for what it runs to mean something. */
export const timePasses = (unitId: string) =>
	unwalled()('flash')
		.where({ unit_id: unitId, state: 'installing' })
		.update({ said_at: new Date(Date.now() - 60_000), look_at: new Date() });

/** A unit that came online and is connected. */
export async function onlineRouter(customer?: string): Promise<Gateway> {
	const unit = await readyToDial('router', customer ? { customer } : {});
	expect(await dialUntilEnded(unit, unit.runId, answeringAsRouter(unit))).to.include({ outcome: 'through' });
	const router = new Gateway(unit, 'veltrane');
	await router.dial();
	return router;
}
export async function online(): Promise<Gateway> {
	const unit = await readyToDial();
	expect(await dialUntilEnded(unit, unit.runId, answering(unit))).to.include({ outcome: 'through' });
	const gateway = new Gateway(unit);
	await gateway.dial();
	return gateway;
}

/** The same, and its plan has changed since. */
export async function behind(): Promise<Gateway> {
	const gateway = await online();
	const { unit } = gateway;
	await renamed(unit, `new-name-${unit.serial.toLowerCase()}`);
	return gateway;
}

export const BECAUSE = () => ({ ...ACTOR, reason: 'for a test' });
/** What somebody saw who looked at what a send would change. */
export async function looked({ unit }: Gateway, wanted?: Wanted) {
	const { readingId, fingerprint } = must(await lookBeforeSending(unit.unitId, true, wanted));
	return { reading: readingId, fingerprint };
}
export async function send(
	gateway: Gateway,
	discards = false,
	wanted?: Wanted,
	seen?: Awaited<ReturnType<typeof looked>>
): Promise<string> {
	const look = seen ?? (await looked(gateway, wanted));
	const sending = { ...look, discards, asked: false, ...(wanted && { wanted }) };
	return must(await beginSend(gateway.unit.unitId, sending, BECAUSE())).sendId;
}
/** As if so many seconds had passed since it was set off. */
export const ago = (unitId: string, seconds: number) =>
	unwalled()('send')
		.where({ unit_id: unitId, ended_at: null })
		.update({
			committed_at: unwalled().raw(`committed_at - make_interval(secs => ?)`, [seconds]),
			look_at: unwalled().raw('now()')
		});

/** Somebody types at its console, past Limen. */
export const typed = (gateway: Gateway, change: (text: string) => string): void => {
	const text = change(gateway.runs);
	expect(text, 'what was typed changes something').to.not.equal(gateway.runs);
	gateway.flash.configuration = text;
};

/** Its configuration is read once more, kept, and held against what it should run. */
export async function readAnew({ unit }: Gateway): Promise<void> {
	const errandId = await database().transaction((trx) =>
		askErrand(trx, { unitId: unit.unitId, kind: 'read', input: { only: uuid() }, ifConnected: true })
	);
	const reading = () =>
		unwalled()('reading').where({ errand_id: errandId }).whereNotNull('kept_at').first('id');
	await onChange(['archive'], async () => (await reading()) !== undefined);
}
