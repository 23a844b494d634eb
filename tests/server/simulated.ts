import type { Socket } from 'node:dgram';
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { currentSettings } from '../../src/lib/server/settings';
import { serveDhcp } from '../../standins/network/dhcp';
import { serveNames } from '../../standins/network/names';
import { serveTime } from '../../standins/network/time';
import { serveRedirectors, wellKnownName } from '../../standins/registry/redirector';
import type { Registry } from '../../standins/registry/registry';
import type { MakerKeys, World } from '../../standins/units/self';

/** As the certificate of the installation says. */
const NAME = 'localhost';

/** A network of the stand-ins, in which the application's own bootstrap server is named. Whoever has none gets no lease. */
export async function simulatedNetwork(
	pace: number,
	mayHaveLease: (mac: string) => boolean = () => true,
	/** Of makers whose units believe vouchers alone, and their registries. */
	makers: ReadonlyMap<string, MakerKeys & { readonly registry: Registry }> = new Map()
): Promise<{ readonly world: World; readonly close: () => void }> {
	const { LIMEN_REDIRECT_PORT, LIMEN_STATE_DIR } = currentSettings();
	const offer = {
		nameServer: '127.0.0.1',
		timeServer: '127.0.0.1',
		bootstrapServers: [`https://${NAME}:${LIMEN_REDIRECT_PORT}`]
	};
	const dhcp = await serveDhcp(0, () => offer, mayHaveLease);
	const [names, time] = [
		await serveNames(
			0,
			[NAME, 'log.sallowfield.example', ...[...makers.keys()].map(wellKnownName)],
			'127.0.0.1'
		),
		await serveTime(0)
	];
	const sockets: readonly Socket[] = [dhcp, names, time];
	const of = <Value>(value: (one: MakerKeys & { readonly registry: Registry }) => Value) =>
		new Map([...makers].map(([maker, one]) => [maker, value(one)]));
	const redirectors = await serveRedirectors(
		of(({ registry }) => registry),
		of(({ devices }) => devices)
	);
	return {
		world: {
			dhcpPort: dhcp.address().port,
			dnsPort: names.address().port,
			logPort: currentSettings().LIMEN_EVENTS_PORT,
			timePort: time.address().port,
			pace,
			trust: readFileSync(join(LIMEN_STATE_DIR, 'keys', 'bootstrap.crt'), 'utf8'),
			makers,
			wellKnownPort: redirectors.port
		},
		close: () => {
			sockets.forEach((socket) => socket.close());
			redirectors.server.close();
		}
	};
}
