import type { PortState } from '../../network/station';
import { NotUnderstood } from '../configuration/configuration';
import { edited, type Editor } from '../configuration/editing';
import type { Fetched } from '../images';
import { conditionAt, Meters, type Condition, type Traffic } from '../load';
import type { Device, Reply } from './maker';

export type Commands = readonly (readonly [
	RegExp,
	(device: Device, argument: string, named: Readonly<Record<string, string>>) => Reply
])[];

/** Answers the first command that fits; null when none does. */
export const answering =
	(commands: Commands) =>
	(command: string, device: Device): Reply | null => {
		for (const [form, reply] of commands) {
			const found = form.exec(command);
			if (found) return reply(device, found[1] ?? '', found.groups ?? {});
		}
		return null;
	};

export const editing = (
	[form, editor]: readonly [RegExp, Editor],
	done: (problem: string | null) => Reply
): Commands[number] => [
	form,
	({ changes, configuration }) => ({
		reads: (text) => {
			try {
				return done(changes.load(edited(configuration, text, editor)));
			} catch (error) {
				if (!(error instanceof NotUnderstood)) throw error;
				return { problem: `line ${error.line}: ${error.message}` };
			}
		}
	})
];

/** What changes a configuration, the same acts in each maker's words. */
export const changing = (words: {
	readonly load: RegExp;
	/** Edits a copy of what runs, in its maker's words. */
	readonly edit?: readonly [RegExp, Editor];
	readonly use: RegExp;
	readonly keep: RegExp;
	readonly back: RegExp;
	readonly forget: RegExp;
	readonly restart: RegExp;
	/** Fetches a release from an address: release, hash and address stand in what it matches. */
	readonly fetch: RegExp;
	readonly fetched: readonly [RegExp, (fetched: Fetched) => string];
	readonly install: RegExp;
	readonly drop: RegExp;
}): Commands => {
	const done = (problem: string | null) => (problem === null ? '' : { problem });
	const { fetch, fetched, install, drop } = words;
	return [
		[
			fetch,
			({ images }, _, { release = '', hash = '', address = '' }) => done(images.fetch(address, release, hash))
		],
		[fetched[0], ({ images }) => `${fetched[1](images.fetched)}\n`],
		[install, ({ images }) => done(images.install())],
		[drop, ({ images }) => done(images.forget())],
		[words.load, ({ changes }) => ({ reads: (text) => done(changes.load(text)) })],
		...(words.edit ? [editing(words.edit, done)] : []),
		[words.use, ({ changes }, seconds) => done(changes.commit(Number(seconds), null))],
		[words.keep, ({ changes }) => done(changes.keep())],
		[words.back, ({ changes }) => done(changes.back())],
		[words.forget, ({ changes }) => done(changes.discard())],
		[
			words.restart,
			({ restart }) => {
				restart();
				return '';
			}
		]
	];
};

/** How it does, by its own clock. */
export const condition = ({ serial, network, meters }: Device): Condition & { readonly uptime: number } => {
	const now = network.clock().getTime();
	return { ...conditionAt(serial, now), uptime: metersOf({ serial, meters }).uptime(Date.now()) };
};
export const ports = (device: Device): readonly (PortState & Traffic)[] => {
	const meters = metersOf(device);
	return device.network.ports().map((port) => ({ ...port, ...meters.read(port, Date.now()) }));
};
const metersOf = ({ serial, meters }: Pick<Device, 'serial' | 'meters'>): Meters =>
	meters ?? new Meters(serial, Date.now());
/** A counter that begins anew when it is full, as small ones do. */
export const small = (count: number): number => count % 2 ** 32;

/** An answer of a line a thing. */
export const lines = <One>(all: readonly One[], line: (one: One, index: number) => string): string =>
	all.map((one, index) => `${line(one, index)}\n`).join('');
export const json = (answer: unknown): string => `${JSON.stringify(answer)}\n`;
