import { OBJECT } from '../configuration/configuration';
import { answering, changing, condition, ports, json } from './commands';
import { find, unquoted, homeOf, printed } from './reading';
import type { Maker } from './maker';

const NONE = new Set<string>();

export const LUMENFOLD: Maker = {
	format: OBJECT,
	osName: 'lumenfold-air',
	vouches: true,
	newWord: 'zone',
	ordered: NONE,
	answer: answering([
		[/^get \/system\/release$/, ({ version }) => `${JSON.stringify(version)}\n`],
		[/^get \/system\/serial$/, ({ serial }) => `${JSON.stringify(serial)}\n`],
		[/^get \/system$/, ({ serial, network: { self } }) => json({ serial, ...self })],
		[/^get \/configuration$/, ({ configuration }) => printed(configuration, OBJECT, NONE)],
		[
			/^get \/reach\/(\S+)$/,
			({ network }, host) => {
				const { sent, received, milliseconds } = network.reach(host);
				return json({ reached: received > 0, sent, received, milliseconds });
			}
		],
		[/^get \/neighbours$/, ({ network }) => json({ neighbours: network.neighbours() })],
		[/^get \/ports$/, (device) => json({ ports: ports(device) })],
		[/^get \/health$/, (device) => json(condition(device))],
		[/^get \/name\/(\S+)$/, ({ network }, name) => json({ name, address: network.resolve(name) ?? '' })],
		[/^get \/clock$/, ({ network }) => json({ now: network.clock().toISOString() })],
		...changing({
			load: /^put \/configuration\/next$/,
			use: /^post \/configuration\/next\/try\?seconds=(\d+)$/,
			keep: /^post \/configuration\/keep$/,
			back: /^post \/configuration\/revert$/,
			forget: /^delete \/configuration\/next$/,
			restart: /^post \/system\/restart$/,
			fetch:
				/^put \/system\/release\/next\?release=(?<release>[^&\s]+)&hash=(?<hash>[0-9a-f]{64})&from=(?<address>\S+)$/,
			fetched: [/^get \/system\/release\/next$/, (one) => JSON.stringify(one)],
			install: /^post \/system\/release\/next\/start$/,
			drop: /^delete \/system\/release\/next$/
		})
	]),
	home: (tree) => {
		const keeper = find(tree, 'keeper');
		return homeOf(find(tree, 'home'), keeper, keeper && find(keeper.inside, 'user')?.value, 'key');
	},
	accounts: () => [],
	logging: (tree) => ({
		name: unquoted(find(tree, 'name')?.value ?? '') || undefined,
		server: unquoted(find(tree, 'log')?.value ?? '') || undefined
	})
};
