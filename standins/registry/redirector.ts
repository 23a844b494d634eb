import { createServer, type Server } from 'node:https';
import type { AddressInfo } from 'node:net';
import { createSecureContext, type TLSSocket } from 'node:tls';
import { encodeConveyed, OUTPUT, redirectInformation, YANG_JSON } from '../../src/core/bootstrap';
import { issue, type Signer } from '../../src/core/trust';
import type { Registries } from './open';

/** The name that a maker's units know from the factory. */
export const wellKnownName = (maker: string): string => `redirect.${maker}.example`;

/**
 * The makers' well-known servers (RFC 8572 section 4.4): whoever shows a device certificate of that maker's is told where its
 * owner has it sent, and by which certificate it knows that server. All on one port, told apart by name.
 */
export async function serveRedirectors(
	registries: Registries,
	authorities: ReadonlyMap<string, Signer>
): Promise<{ readonly server: Server; readonly port: number }> {
	const roots = [...authorities.values()].flatMap(({ chain }) => chain);
	const contexts = new Map(
		await Promise.all(
			[...authorities].map(async ([maker, authority]) => {
				const name = wellKnownName(maker);
				const { key, chain } = await issue(
					{
						subject: `CN=${name}`,
						from: new Date(Date.now() - 24 * 3_600_000),
						until: new Date(Date.now() + 365 * 24 * 3_600_000),
						isAuthority: false,
						serves: [name]
					},
					authority
				);
				return [
					name,
					{ maker, context: createSecureContext({ key, cert: chain.join('\n'), ca: roots }) }
				] as const;
			})
		)
	);
	const server = createServer(
		{
			requestCert: true,
			rejectUnauthorized: false,
			ca: roots,
			SNICallback: (name, done) => done(null, contexts.get(name)?.context)
		},
		(request, response) => {
			request.resume();
			const socket = request.socket as TLSSocket;
			const { serialNumber } = (socket.authorized ? (socket.getPeerCertificate().subject ?? {}) : {}) as {
				serialNumber?: string;
			};
			const { maker = '' } = contexts.get((request.headers.host ?? '').split(':')[0]!) ?? {};
			const sent = serialNumber === undefined ? null : registries.get(maker)?.sentTo(serialNumber);
			if (!sent?.uri || !request.url?.endsWith(':get-bootstrapping-data'))
				return void response.writeHead(serialNumber === undefined ? 401 : 404).end();
			const { hostname, port } = new URL(sent.uri);
			const conveyed = encodeConveyed(redirectInformation(hostname, Number(port || 443), sent.anchor));
			response
				.writeHead(200, { 'content-type': YANG_JSON })
				.end(JSON.stringify({ [OUTPUT]: { 'conveyed-information': conveyed } }));
		}
	);
	await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
	return { server, port: (server.address() as AddressInfo).port };
}
