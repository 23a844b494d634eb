import { timeNow } from './database';
import { existsSync, mkdirSync, readFileSync, renameSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import type { BootstrapServer } from '../../core/bootstrap';
import { certificatesOnly, issue } from '../../core/trust';
import { currentSettings, publicUrl } from './settings';

/** What the bootstrap server shows on its TLS port: the certificate given, or one of its own making. */
export interface ServerIdentity {
	readonly certificate: string;
	readonly key: string;
}

const YEARS = 10;

/** Read from the files that the settings name, or made at first start and kept. */
export async function serverIdentity(): Promise<ServerIdentity> {
	const settings = currentSettings();
	const folder = join(settings.LIMEN_STATE_DIR, 'keys');
	const certificateFile = settings.LIMEN_TLS_CERTIFICATE ?? join(folder, 'bootstrap.crt');
	const keyPath = settings.LIMEN_TLS_KEY ?? join(folder, 'bootstrap.key');
	if (!settings.LIMEN_TLS_CERTIFICATE && !existsSync(certificateFile))
		await make(folder, certificateFile, keyPath);
	return {
		certificate: readFileSync(certificateFile, 'utf8'),
		key: readFileSync(keyPath, 'utf8')
	};
}

/** Where Limen's bootstrap server is, for units that know its certificate. */
export const bootstrapServer = (): BootstrapServer => serverAt(currentSettings().LIMEN_BOOTSTRAP_PORT);
/** Where the others are told of it: what a network names. */
export const redirectServer = (): BootstrapServer => serverAt(currentSettings().LIMEN_REDIRECT_PORT);
function serverAt(port: number): BootstrapServer {
	const settings = currentSettings();
	const name = settings.LIMEN_BOOTSTRAP_NAME ?? new URL(publicUrl(settings)).hostname;
	return { name: name.replace(/^\[|\]$/g, ''), port };
}
/** The certificate that the bootstrap server shows, with those above it, as base64 of CMS; another one needs a new start. */
export function serverAnchor(): Promise<string> {
	anchor ??= serverIdentity().then(({ certificate }) =>
		Buffer.from(
			certificatesOnly(certificate.match(/-----BEGIN CERTIFICATE-----[^]+?-----END CERTIFICATE-----/g) ?? [])
		).toString('base64')
	);
	return anchor;
}
let anchor: Promise<string> | undefined;

async function make(folder: string, certificateFile: string, keyPath: string): Promise<void> {
	const settings = currentSettings();
	const names = new Set(
		[
			settings.LIMEN_BOOTSTRAP_NAME,
			new URL(publicUrl(settings)).hostname,
			settings.LIMEN_HOST,
			settings.LIMEN_CALL_HOME_HOST,
			'localhost'
		].flatMap((name) => (name ? [name.replace(/^\[|\]$/g, '')] : []))
	);
	const now = timeNow();
	const { key, chain } = await issue({
		subject: 'CN=Limen bootstrap server',
		// A clock that is a little behind must not make the certificate one of the future
		from: new Date(now - 24 * 3_600_000),
		until: new Date(now + YEARS * 365 * 24 * 3_600_000),
		isAuthority: true,
		serves: [...names]
	});
	mkdirSync(folder, { recursive: true, mode: 0o700 });
	writeFileSync(keyPath, key, { mode: 0o600 });
	// The certificate last, and whole: where it is, its key is too
	writeFileSync(`${certificateFile}.new`, chain[0]!);
	renameSync(`${certificateFile}.new`, certificateFile);
}
