import { INDENTED } from '../configuration/configuration';
import { VELTRANE_EDITOR } from '../configuration/editing';
import { answering, changing, condition, ports, lines } from './commands';
import { find, all, homeOf, accountsOf, printed } from './reading';
import type { Maker } from './maker';

const FILTER = new Set(['filter']);

export const VELTRANE: Maker = {
	format: INDENTED,
	osName: 'veltrane-branch',
	vouches: true,
	savesApart: true,
	newWord: 'time-server',
	ordered: FILTER,
	answer: answering([
		[/^print release$/, ({ version }) => `release: ${version}\nbuilt for branch routers\n`],
		[
			/^print chassis$/,
			({ serial, network: { self } }) =>
				`chassis: ${serial}\nbase address: ${self.mac}\nknown as: ${self.name}\nmemory: ${self.memory}\nmodules: ${self.modules}\n`
		],
		[
			/^print configuration saved$/,
			({ saved, configuration }) => printed(saved ?? configuration, INDENTED, FILTER)
		],
		[
			/^save configuration$/,
			({ save }) => {
				save?.();
				return '';
			}
		],
		[/^print configuration running$/, ({ configuration }) => printed(configuration, INDENTED, FILTER)],
		[
			/^print reach (\S+)$/,
			({ network }, host) => {
				const { sent, received, milliseconds } = network.reach(host);
				return received > 0
					? `${host} answers, ${received} of ${sent}, ${milliseconds} ms\n`
					: `${host} is silent, 0 of ${sent}\n`;
			}
		],
		[
			/^print path (\S+)$/,
			({ network }, host) =>
				lines(network.reach(host).hops, ({ address, milliseconds }, index) =>
					address === null ? `${index + 1} no answer` : `${index + 1} ${address} ${milliseconds} ms`
				)
		],
		[
			/^print tunnels$/,
			({ network }) =>
				lines(network.tunnels(), ({ name, isUp, peer }) => `${name} ${isUp ? 'up' : 'down'} peer ${peer}`)
		],
		[
			/^print routes$/,
			({ network }) =>
				lines(
					network.routes(),
					({ prefix, via, next }) => `${prefix} by ${via}${next === null ? '' : ` to ${next}`}`
				)
		],
		[
			/^print neighbours$/,
			({ network }) =>
				lines(
					network.neighbours(),
					({ port, chassis, neighbourPort, name, description, address }) =>
						`${port}: ${chassis} at ${JSON.stringify(neighbourPort)}, ${JSON.stringify(name)}, ${JSON.stringify(description)}${address && ` by ${address}`}`
				)
		],
		[
			/^print seen$/,
			({ network }) =>
				lines(
					network.learnt(),
					({ port, mac, address }) => `${mac} at ${port}${address === null ? '' : ` as ${address}`}`
				)
		],
		[
			/^print ports$/,
			(device) =>
				lines(
					ports(device),
					({ port, isUp, speed, givesPower, received, sent, errors }) =>
						`${port} ${isUp ? `up ${speed}` : 'down'}${givesPower ? ' feeding' : ''} in ${received} out ${sent} bad ${errors}`
				)
		],
		[
			/^print health$/,
			(device) => {
				const { processor, memory, temperature, signal, uptime } = condition(device);
				return `processor: ${processor} of 100\nmemory: ${memory} of 100\nwarmth: ${temperature} C\nmodem: ${signal} dBm\nrunning for: ${uptime} s\n`;
			}
		],
		[
			/^print clients$/,
			({ network }) =>
				lines(
					network.clients(),
					({ name, first, last, used, free }) => `${name} ${first} to ${last}: ${used} given, ${free} left`
				)
		],
		[/^print name (\S+)$/, ({ network }, name) => `${name} is ${network.resolve(name) ?? 'not known'}\n`],
		[/^print clock$/, ({ network }) => `${network.clock().toISOString()}\n`],
		...changing({
			load: /^load configuration$/,
			edit: [/^edit loaded$/, VELTRANE_EDITOR],
			use: /^use loaded for (\d+)$/,
			keep: /^keep used$/,
			back: /^return used$/,
			forget: /^forget loaded$/,
			restart: /^restart chassis$/,
			fetch: /^fetch release (?<release>\S+) hash (?<hash>[0-9a-f]{64}) from (?<address>\S+)$/,
			fetched: [
				/^print release fetched$/,
				(one) =>
					one.state === 'none'
						? 'fetched: nothing'
						: one.state === 'fetching'
							? `fetched: ${one.version} on its way, ${one.percent} of 100`
							: one.state === 'ready'
								? `fetched: ${one.version} whole`
								: `fetched: ${one.version} failed: ${one.words}`
			],
			install: /^start release fetched$/,
			drop: /^forget release fetched$/
		})
	]),
	home: (tree) =>
		homeOf(
			find(tree, 'dial-home'),
			find(tree, 'caretaker'),
			find(tree, 'caretaker')?.value,
			'public-key',
			accountsOf(all(tree, 'account'))
		),
	accounts: (tree) => accountsOf(all(tree, 'account')),
	logging: (tree) => ({ name: find(tree, 'hostname')?.value, server: find(tree, 'log-to')?.value })
};
