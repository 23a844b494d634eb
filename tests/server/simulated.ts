import type { Socket } from 'node:dgram';
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { currentSettings } from '../../src/lib/server/settings';
import { serveDhcp } from '../../standins/network/dhcp';
import { serveNames } from '../../standins/network/names';
import { serveTime } from '../../standins/network/time';
import type { World } from '../../standins/units/unit';

/** As the certificate of the installation says. */
const NAME = 'localhost';

/** A network of the stand-ins, in which the application's own bootstrap server is named. Whoever has none gets no lease. */
export async function simulatedNetwork(
	pace: number,
	mayHaveLease: (mac: string) => boolean = () => true
): Promise<{ readonly world: World; readonly close: () => void }> {
	const { LIMEN_BOOTSTRAP_PORT, LIMEN_STATE_DIR } = currentSettings();
	const offer = {
		nameServer: '127.0.0.1',
		timeServer: '127.0.0.1',
		bootstrapServers: [`https://${NAME}:${LIMEN_BOOTSTRAP_PORT}`]
	};
	const dhcp = await serveDhcp(0, () => offer, mayHaveLease);
	const [names, time] = [
		await serveNames(0, [NAME, 'log.sallowfield.example'], '127.0.0.1'),
		await serveTime(0)
	];
	const sockets: readonly Socket[] = [dhcp, names, time];
	return {
		world: {
			dhcpPort: dhcp.address().port,
			dnsPort: names.address().port,
			logPort: currentSettings().LIMEN_EVENTS_PORT,
			timePort: time.address().port,
			pace,
			trust: readFileSync(join(LIMEN_STATE_DIR, 'keys', 'bootstrap.crt'), 'utf8')
		},
		close: () => sockets.forEach((socket) => socket.close())
	};
}
