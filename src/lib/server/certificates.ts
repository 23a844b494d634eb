import { createPrivateKey, randomBytes, webcrypto } from 'node:crypto';
import { existsSync, mkdirSync, readFileSync, renameSync, writeFileSync } from 'node:fs';
import { isIP } from 'node:net';
import { join } from 'node:path';
import type { TLSSocket } from 'node:tls';
import 'reflect-metadata';
import * as x509 from '@peculiar/x509';
import { currentSettings, publicUrl } from './settings';

/** What the bootstrap server shows on its TLS port: the certificate given, or one of its own making. */
export interface ServerIdentity {
	readonly certificate: string;
	readonly key: string;
	/** PEM of the makers' authorities whose device certificates are accepted; null for none. */
	readonly deviceAuthorities: string | null;
}

/** The serial number in a device's certificate (IEEE 802.1AR: the subject's serialNumber), where it was checked; else null. */
export function certifiedSerial(device: TLSSocket): string | null {
	const { serialNumber } = (device.authorized ? (device.getPeerCertificate().subject ?? {}) : {}) as {
		serialNumber?: unknown;
	};
	return typeof serialNumber === 'string' && /^[\x21-\x7e]{1,64}$/.test(serialNumber) ? serialNumber : null;
}

const ALGORITHM = { name: 'ECDSA', namedCurve: 'P-256', hash: 'SHA-256' };
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
		key: readFileSync(keyPath, 'utf8'),
		deviceAuthorities: settings.LIMEN_DEVICE_AUTHORITIES
			? readFileSync(settings.LIMEN_DEVICE_AUTHORITIES, 'utf8')
			: null
	};
}

async function make(folder: string, certificateFile: string, keyPath: string): Promise<void> {
	const settings = currentSettings();
	const crypto = webcrypto as unknown as Crypto;
	const keys = await crypto.subtle.generateKey(ALGORITHM, true, ['sign', 'verify']);
	const names = new Set(
		[
			settings.LIMEN_BOOTSTRAP_NAME,
			new URL(publicUrl(settings)).hostname,
			settings.LIMEN_HOST,
			settings.LIMEN_CALL_HOME_HOST,
			'localhost'
		].flatMap((name) => (name ? [name.replace(/^\[|\]$/g, '')] : []))
	);
	const now = Date.now();
	const certificate = await x509.X509CertificateGenerator.createSelfSigned(
		{
			serialNumber: randomBytes(16).toString('hex'),
			name: 'CN=Limen bootstrap server',
			// A clock that is a little behind must not make the certificate one of the future
			notBefore: new Date(now - 24 * 3_600_000),
			notAfter: new Date(now + YEARS * 365 * 24 * 3_600_000),
			signingAlgorithm: ALGORITHM,
			keys,
			extensions: [
				new x509.BasicConstraintsExtension(true, 0, true),
				new x509.ExtendedKeyUsageExtension([x509.ExtendedKeyUsage.serverAuth]),
				new x509.SubjectAlternativeNameExtension(
					[...names].map((value) => ({ type: isIP(value) ? ('ip' as const) : ('dns' as const), value }))
				)
			]
		},
		crypto
	);
	const pkcs8 = Buffer.from(await crypto.subtle.exportKey('pkcs8', keys.privateKey));
	const key = createPrivateKey({ key: pkcs8, format: 'der', type: 'pkcs8' }).export({
		type: 'pkcs8',
		format: 'pem'
	});
	mkdirSync(folder, { recursive: true, mode: 0o700 });
	writeFileSync(keyPath, key, { mode: 0o600 });
	// The certificate last, and whole: where it is, its key is too
	writeFileSync(`${certificateFile}.new`, certificate.toString('pem'));
	renameSync(`${certificateFile}.new`, certificateFile);
}
