import 'reflect-metadata';
import * as x509 from '@peculiar/x509';
import type { Signer } from './cms';
import { buffer, fromPem } from './octets';

const ALGORITHM = { name: 'ECDSA', namedCurve: 'P-256', hash: 'SHA-256' };
const SERIAL_OCTETS = 16;
const { crypto } = globalThis;

export interface Wanted {
	/** A distinguished name as RFC 4514 writes it, or its parts. */
	readonly subject: string | x509.JsonNameParams;
	readonly from: Date;
	readonly until: Date;
	/** It may sign other certificates. */
	readonly isAuthority: boolean;
	/** Host names and addresses of a TLS server that it is for. */
	readonly serves?: readonly string[];
}
/** Makes a key on P-256 and its certificate (RFC 5280), signed by another's or by itself. */
export async function issue(
	{ subject, from, until, isAuthority, serves = [] }: Wanted,
	above: Signer | null = null
): Promise<Signer> {
	const keys = await crypto.subtle.generateKey(ALGORITHM, true, ['sign', 'verify']);
	const over = above && (await opened(above));
	const flags = x509.KeyUsageFlags.digitalSignature | (isAuthority ? x509.KeyUsageFlags.keyCertSign : 0);
	const certificate = await x509.X509CertificateGenerator.create(
		{
			serialNumber: hexadecimal(crypto.getRandomValues(new Uint8Array(SERIAL_OCTETS))),
			subject: subject as string,
			issuer: (over?.certificate.subject ?? subject) as string,
			notBefore: from,
			notAfter: until,
			signingAlgorithm: ALGORITHM,
			publicKey: keys.publicKey,
			signingKey: over?.privateKey ?? keys.privateKey,
			extensions: [
				new x509.BasicConstraintsExtension(isAuthority, undefined, true),
				new x509.KeyUsagesExtension(flags, true),
				await x509.SubjectKeyIdentifierExtension.create(keys.publicKey, false, crypto),
				...(over
					? [await x509.AuthorityKeyIdentifierExtension.create(over.certificate.publicKey, false, crypto)]
					: []),
				...(serves.length > 0 ? forServer(serves) : [])
			]
		},
		crypto
	);
	const pkcs8 = await crypto.subtle.exportKey('pkcs8', keys.privateKey);
	return {
		key: x509.PemConverter.encode(pkcs8, 'PRIVATE KEY'),
		chain: [certificate.toString('pem'), ...(above?.chain ?? [])]
	};
}
/** A key on P-256 that may stand above others. */
const opened = async ({ key, chain }: Signer) => ({
	certificate: new x509.X509Certificate(chain[0]!),
	privateKey: await crypto.subtle.importKey('pkcs8', buffer(fromPem(key)), ALGORITHM, false, ['sign'])
});
const forServer = (names: readonly string[]): x509.Extension[] => [
	new x509.ExtendedKeyUsageExtension([x509.ExtendedKeyUsage.serverAuth]),
	new x509.SubjectAlternativeNameExtension(
		names.map((value) => ({ type: /^[\d.]+$|:/.test(value) ? ('ip' as const) : ('dns' as const), value }))
	)
];
const hexadecimal = (octets: Uint8Array): string =>
	Array.from(octets, (octet) => octet.toString(16).padStart(2, '0')).join('');
