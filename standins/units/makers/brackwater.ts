import { MARKUP, markedUp } from '../configuration/configuration';
import type { Fetched } from '../images';
import type { Condition } from '../load';
import { condition, ports } from './commands';
import { find, all, valueOf, homeOf, said, printed } from './reading';
import type { Maker } from './maker';

const NONE = new Set<string>();

const fetchedState = (fetched: Fetched): string =>
	`<b:fetched><b:state>${fetched.state}</b:state>` +
	(fetched.state === 'fetching' ? `<b:percent>${fetched.percent}</b:percent>` : '') +
	(fetched.state === 'failed' ? `<b:words>${markedUp(fetched.words)}</b:words>` : '') +
	'</b:fetched>';

const doing = ({ processor, memory, temperature, uptime }: Condition & { readonly uptime: number }): string =>
	`<b:doing><b:processor>${processor}</b:processor><b:memory>${memory}</b:memory><b:celsius>${temperature}</b:celsius><b:seconds-up>${uptime}</b:seconds-up></b:doing>`;

export const BRACKWATER: Maker = {
	format: MARKUP,
	osName: 'brackwater-bw',
	newWord: 'interfaces',
	ordered: NONE,
	// It has no commands
	answer: () => null,
	netconf: (device) => {
		const { serial, version, configuration, changes, images, restart, network } = device;
		return {
			changes,
			images,
			restart,
			configuration: () => printed(configuration, MARKUP, NONE),
			state: () =>
				`<b:switch-state xmlns:b="urn:brackwater:state"><b:serial>${markedUp(serial)}</b:serial>` +
				`<b:mac>${network.self.mac}</b:mac><b:name>${markedUp(network.self.name)}</b:name>` +
				`<b:memory>${network.self.memory}</b:memory><b:modules>${network.self.modules}</b:modules>` +
				`<b:release>${markedUp(version)}</b:release>` +
				`<b:clock>${network.clock().toISOString()}</b:clock>` +
				fetchedState(images.fetched) +
				doing(condition(device)) +
				network
					.neighbours()
					.map(
						({ port, chassis, neighbourPort, name, description, address }) =>
							`<b:neighbour><b:port>${port}</b:port><b:chassis>${chassis}</b:chassis><b:far-port>${markedUp(neighbourPort)}</b:far-port>` +
							`<b:name>${markedUp(name)}</b:name><b:description>${markedUp(description)}</b:description>` +
							(address && `<b:address>${markedUp(address)}</b:address>`) +
							'</b:neighbour>'
					)
					.join('') +
				network
					.learnt()
					.map(
						({ port, mac: seen, address }) =>
							`<b:station><b:port>${port}</b:port><b:mac>${seen}</b:mac>` +
							(address === null ? '' : `<b:address>${address}</b:address>`) +
							'</b:station>'
					)
					.join('') +
				ports(device)
					.map(
						({ port, isUp, speed, givesPower, received, sent, errors }) =>
							`<b:port-state><b:port>${port}</b:port><b:up>${isUp}</b:up><b:speed>${speed}</b:speed><b:power>${givesPower}</b:power>` +
							`<b:octets-in>${received}</b:octets-in><b:octets-out>${sent}</b:octets-out><b:bad>${errors}</b:bad></b:port-state>`
					)
					.join('') +
				'</b:switch-state>'
		};
	},
	home: (tree) => {
		const management = find(tree, 'management');
		return management
			? homeOf(find(management.inside, 'home'), management, find(management.inside, 'user')?.value, 'key')
			: null;
	},
	accounts: (tree) =>
		all(tree, 'system')
			.flatMap(({ inside }) => all(inside, 'authentication'))
			.flatMap(({ inside }) => all(inside, 'user'))
			.map(({ inside }) => ({
				user: said(inside, 'name'),
				// RFC 7317: what begins so is not hashed
				password: said(inside, 'password').replace(/^\$0\$/, '')
			})),
	logging: (tree) => ({
		name: valueOf(find(tree, 'system'), 'hostname'),
		server: valueOf(find(tree, 'log'), 'server')
	})
};
