import { BRACED, INDENTED, NotUnderstood, type Format, type Statement } from './configuration';

/**
 * How a copy of what runs is edited line by line, in each maker's words. It shares nothing with how Limen makes such
 * lines; the manual pages beside this are all that both know.
 */
export interface Editor {
	readonly format: Format;
	/** What a line does, and to which statements; null for no such line. */
	readonly read: (
		line: string
	) => { readonly act: Act; readonly first: string; readonly second: string } | null;
	/** A statement as a text of its own. */
	readonly text: (statement: string) => string;
}
type Act = 'enter' | 'leave' | 'add' | 'remove' | 'change' | 'order';

const VELTRANE_ACTS: Readonly<Record<string, Act>> = {
	at: 'enter',
	up: 'leave',
	put: 'add',
	drop: 'remove',
	swap: 'change',
	place: 'order'
};
/** `edit loaded` */
export const VELTRANE_EDITOR: Editor = {
	format: INDENTED,
	read(line) {
		const [word = '', rest = ''] = /^(\S+)(?: (.*))?$/.exec(line)?.slice(1) ?? [];
		const [first = '', second = ''] = rest.split(' => ');
		const act = VELTRANE_ACTS[word];
		return act
			? { act, first: act === 'enter' || act === 'add' || act === 'remove' ? rest : first, second }
			: null;
	},
	text: (statement) => `${statement}\n`
};

const OKAPIRA_ACTS: Readonly<Record<string, Act>> = {
	within: 'enter',
	out: 'leave',
	write: 'add',
	strike: 'remove',
	order: 'order'
};
/** `stage changes` */
export const OKAPIRA_EDITOR: Editor = {
	format: BRACED,
	read(line) {
		const [word = '', rest = ''] = /^(\w+) ?(.*);$/.exec(line)?.slice(1) ?? [];
		const act = OKAPIRA_ACTS[word];
		if (!act) return null;
		if (act !== 'order') return { act, first: rest, second: '' };
		const [first, second] = /^(.*); (?:behind (.*)|first)$/.exec(rest)?.slice(1) ?? [];
		return first === undefined ? null : { act, first, second: second ?? 'first' };
	},
	text: (statement) => `${statement};`
};

type Open = Omit<Statement, 'inside'> & { inside: Open[] };
const sentence = ({ word, value }: Statement): string => (value === '' ? word : `${word} ${value}`);

/** The configuration after all lines; throws NotUnderstood at the first that cannot be done. */
export function edited(configuration: string, lines: string, { format, read, text }: Editor): string {
	const top = format.read(configuration) as Open[];
	const blocks: Open[][] = [top];
	lines.split('\n').forEach((raw, index) => {
		if (raw.trim() === '') return;
		const fail = (words: string) => {
			throw new NotUnderstood(index + 1, words);
		};
		const line = read(raw.trim()) ?? fail(`unknown: ${raw.trim()}`)!;
		const here = blocks.at(-1)!;
		const indexOf = (wanted: string): number => {
			const at = here.findIndex((one) => sentence(one) === wanted);
			return at < 0 ? (fail(`no such statement: ${wanted}`), -1) : at;
		};
		const statement = (words: string): Open => {
			const [one] = format.read(text(words)) as Open[];
			return one ?? (fail('nothing to put'), null as never);
		};
		const { first, second } = line;
		switch (line.act) {
			case 'enter': {
				let block = here.find((one) => sentence(one) === first);
				if (!block) here.push((block = { ...statement(first), inside: [] }));
				(block as { kind: Statement['kind'] }).kind = 'block';
				blocks.push(block.inside);
				return;
			}
			case 'leave':
				if (blocks.length === 1) fail('nothing to go out of');
				blocks.pop();
				return;
			case 'add':
				here.push({ ...statement(first), inside: [] });
				return;
			case 'remove':
				here.splice(indexOf(first), 1);
				return;
			case 'change': {
				const at = indexOf(first);
				here[at] = { ...statement(second), inside: here[at]!.inside };
				return;
			}
			case 'order': {
				const [moved] = here.splice(indexOf(first), 1);
				here.splice(second === 'first' ? 0 : indexOf(second) + 1, 0, moved!);
			}
		}
	});
	return format.print(top);
}
