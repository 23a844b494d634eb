import { X509Certificate } from 'node:crypto';
import { BOOTSTRAP, runAs } from '../database';
import { subscribe } from '../live';
import { log } from '../log';
import { currentPack, makersWithPacks } from '../packs';
import { AUTHORITIES_EVENT, nameOf } from './shown';

/** One of those who sign a maker's devices' certificates, as its pack names them. */
export interface Authority {
	readonly makerId: string;
	readonly fingerprint: string;
	/** Its name, as certificates below it have it. */
	readonly issuer: string;
	readonly subject: string;
	readonly until: Date;
	readonly pem: string;
	readonly der: Uint8Array;
}

/** A maker's authorities; none where its pack names none. */
export async function authoritiesOf(makerId: string): Promise<readonly Authority[]> {
	const pack = await currentPack(makerId);
	return (pack?.devices?.authorities ?? []).map((pem) => {
		const read = new X509Certificate(pem);
		const { raw, fingerprint256, validTo, subject } = read;
		return {
			makerId,
			fingerprint: fingerprint256,
			issuer: nameOf(read.toLegacyObject().subject),
			subject: subject.replace(/\n/g, ', '),
			until: new Date(validTo),
			pem,
			der: raw
		};
	});
}

let all: Promise<readonly Authority[]> | undefined;
/** Those of all makers. Runs as BOOTSTRAP. */
export function deviceAuthorities(): Promise<readonly Authority[]> {
	all ??= makersWithPacks().then(async (makers) => (await Promise.all(makers.map(authoritiesOf))).flat());
	all.catch(() => (all = undefined));
	return all;
}

/** Told at once, and whenever a pack is loaded, whose certificates TLS takes; they are PEM. */
export async function onAuthorities(told: (authorities: readonly string[]) => void): Promise<() => void> {
	const tell = async () => {
		const pems = (await runAs(BOOTSTRAP, deviceAuthorities)).map(({ pem }) => pem);
		told([...new Set(pems)]);
	};
	const stop = subscribe(
		({ topic }) => {
			if (topic !== 'packs') return;
			all = undefined;
			tell().catch((error: Error) => log.error({ error: error.message }, 'device authorities'));
		},
		() => true
	);
	await tell();
	return stop;
}

let stop: (() => void) | undefined;
/** The units' TLS server, in this process, takes what makers' packs say. */
export async function startDevices(): Promise<void> {
	stop = await onAuthorities((pems) => void process.emit(AUTHORITIES_EVENT as never, pems as never));
}
export function stopDevices(): void {
	stop?.();
	stop = undefined;
}
