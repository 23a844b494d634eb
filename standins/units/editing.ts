import { NotUnderstood, type Format, type Statement } from './configuration';

/**
 * Veltrane's `edit loaded`: a copy of what runs is edited line by line. It shares nothing with how Limen makes such
 * lines; the manual page beside this is all that both know.
 */
type Open = Omit<Statement, 'inside'> & { inside: Open[] };

const sentence = ({ word, value }: Statement): string => (value === '' ? word : `${word} ${value}`);

/** The configuration after all lines; throws NotUnderstood at the first that cannot be done. */
export function edited(configuration: string, text: string, { read, print }: Format): string {
	const top = read(configuration) as Open[];
	const blocks: Open[][] = [top];
	text.split('\n').forEach((raw, index) => {
		if (raw.trim() === '') return;
		const [act = '', rest = ''] = /^(\S+)(?: (.*))?$/.exec(raw.trim())?.slice(1) ?? [];
		const fail = (words: string) => {
			throw new NotUnderstood(index + 1, words);
		};
		const here = blocks.at(-1)!;
		const indexOf = (wanted: string): number => {
			const at = here.findIndex((one) => sentence(one) === wanted);
			return at < 0 ? (fail(`no such statement: ${wanted}`), -1) : at;
		};
		const statement = (words: string): Open => {
			const [one] = read(`${words}\n`) as Open[];
			return one ?? (fail('nothing to put'), null as never);
		};
		const [first = '', second = ''] = rest.split(' => ');
		switch (act) {
			case 'at': {
				let block = here.find((one) => sentence(one) === rest);
				if (!block) here.push((block = { ...statement(rest), inside: [] }));
				(block as { kind: Statement['kind'] }).kind = 'block';
				blocks.push(block.inside);
				return;
			}
			case 'up':
				if (blocks.length === 1) fail('nothing to go out of');
				blocks.pop();
				return;
			case 'put':
				here.push({ ...statement(rest), inside: [] });
				return;
			case 'drop':
				here.splice(indexOf(rest), 1);
				return;
			case 'swap': {
				const at = indexOf(first);
				here[at] = { ...statement(second), inside: here[at]!.inside };
				return;
			}
			case 'place': {
				const [moved] = here.splice(indexOf(first), 1);
				here.splice(second === 'first' ? 0 : indexOf(second) + 1, 0, moved!);
				return;
			}
			default:
				fail(`unknown word: ${act}`);
		}
	});
	return print(top);
}
