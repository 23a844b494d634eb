import { BRACED } from '../configuration/configuration';
import { OKAPIRA_EDITOR } from '../configuration/editing';
import { answering, changing, condition, ports, small, lines } from './commands';
import { find, all, valueOf, homeOf, accountsOf, printed } from './reading';
import type { Maker } from './maker';

const RULES = new Set(['rules']);

export const OKAPIRA: Maker = {
	format: BRACED,
	osName: 'okapira-og',
	vouches: true,
	newWord: 'clock',
	ordered: RULES,
	answer: answering([
		[/^tell release$/, ({ version }) => `running release ${version};\n`],
		[
			/^tell chassis$/,
			({ serial, network: { self } }) =>
				`serial number ${serial};\nfirst address ${self.mac};\nname ${self.name};\nmemory ${self.memory};\nmodules ${self.modules};\n`
		],
		[/^tell configuration$/, ({ configuration }) => printed(configuration, BRACED, RULES)],
		[
			/^tell reach (\S+)$/,
			({ network }, host) => {
				const { sent, received, milliseconds } = network.reach(host);
				return `reach ${host} ${received > 0 ? `yes ${milliseconds} ms` : 'no'} lost ${sent - received}/${sent};\n`;
			}
		],
		[
			/^tell path (\S+)$/,
			({ network }, host) =>
				lines(network.reach(host).hops, ({ address, milliseconds }) =>
					address === null ? 'hop nobody;' : `hop ${address} ${milliseconds} ms;`
				)
		],
		[
			/^tell links$/,
			({ network }) =>
				lines(
					network.tunnels(),
					({ name, isUp, peer }) => `link ${name} ${isUp ? 'joined' : 'parted'} ${peer};`
				)
		],
		[
			/^tell ways$/,
			({ network }) =>
				lines(
					network.routes(),
					({ prefix, via, next }) =>
						`way ${prefix === '0.0.0.0/0' ? 'default' : prefix} ${via} ${next ?? 'here'};`
				)
		],
		[
			/^tell neighbours$/,
			({ network }) =>
				lines(
					network.neighbours(),
					({ port, chassis, neighbourPort, name, description, address }) =>
						`neighbour ${port} { chassis ${chassis}; wire ${JSON.stringify(neighbourPort)}; name ${JSON.stringify(name)}; says ${JSON.stringify(description)}; ${address && `managed ${address}; `}}`
				)
		],
		[
			/^tell stations$/,
			({ network }) =>
				lines(network.learnt(), ({ port, mac, address }) => `station ${mac} ${port} ${address ?? 'none'};`)
		],
		[
			/^tell wires$/,
			(device) =>
				lines(
					ports(device),
					({ port, isUp, speed, givesPower, received, sent, errors }) =>
						`wire ${port} ${isUp ? 'alive' : 'dead'} ${speed} ${givesPower ? 'fed' : 'plain'} in ${small(received)} out ${small(sent)} wrong ${errors};`
				)
		],
		[
			/^tell condition$/,
			(device) => {
				const { processor, memory, temperature, uptime } = condition(device);
				return `condition load ${processor}% store ${memory}% heat ${temperature}C age ${uptime}s;\n`;
			}
		],
		[
			/^tell pools$/,
			({ network }) =>
				lines(
					network.clients(),
					({ name, first, last, used, free }) => `pool ${name} ${first} ${last} taken ${used} free ${free};`
				)
		],
		[
			/^tell address of (\S+)$/,
			({ network }, name) => `address of ${name} ${network.resolve(name) ?? 'unknown'};\n`
		],
		[/^tell clock$/, ({ network }) => `clock ${network.clock().toISOString()};\n`],
		...changing({
			load: /^stage configuration$/,
			edit: [/^stage changes$/, OKAPIRA_EDITOR],
			use: /^switch to staged (\d+)s$/,
			keep: /^stay$/,
			back: /^switch back$/,
			forget: /^unstage$/,
			restart: /^restart$/,
			fetch: /^bring release (?<release>\S+) sum (?<hash>[0-9a-f]{64}) by (?<address>\S+)$/,
			fetched: [
				/^tell brought$/,
				(one) =>
					one.state === 'none'
						? 'brought none;'
						: one.state === 'fetching'
							? `brought ${one.version} part ${one.percent};`
							: one.state === 'ready'
								? `brought ${one.version} all;`
								: `brought ${one.version} broken ${JSON.stringify(one.words)};`
			],
			install: /^switch release$/,
			drop: /^leave brought$/
		})
	]),
	home: (tree) =>
		homeOf(
			find(tree, 'beacon'),
			find(tree, 'keeper'),
			find(tree, 'keeper')?.value,
			'key',
			accountsOf(all(tree, 'login'))
		),
	accounts: (tree) => accountsOf(all(tree, 'login')),
	logging: (tree) => ({
		name: valueOf(find(tree, 'identity'), 'name'),
		server: valueOf(find(tree, 'journal'), 'server')
	})
};
