import { patternOf } from '../pattern';
import { counted } from '../text';
import { fillIn, openIn } from './asks';
import type { FlashRule, SendRule } from './talk';

/** The steps of a confirmed send that a pack has words for, in their order; `back` and `undo` only where something went wrong. */
export const SEND_STEPS = [
	'begin',
	'load',
	'edit',
	'check',
	'commit',
	'end',
	'confirm',
	'back',
	'undo'
] as const;
export type SendStep = (typeof SEND_STEPS)[number];

/** What may stand in the words of each step. */
const TIMED = ['seconds', 'minutes', 'token'];
export const namesIn = (step: SendStep): readonly string[] =>
	step === 'load'
		? [...TIMED, 'configuration', 'line']
		: step === 'edit'
			? [...TIMED, 'commands', 'command']
			: TIMED;

/** One thing to say. */
export interface Said {
	readonly say: string;
	/** What is given over standard input after it; null when nothing is. */
	readonly input: string | null;
	/** As the dialogue shows it: a whole configuration stands in the plan, and is not written down once more. */
	readonly shown: string;
}

/** What a send is made of. */
export interface Sent {
	readonly configuration: string;
	/** What has to be said where only what differs is. */
	readonly commands?: readonly string[];
	readonly token: string;
}

/** What is said in a step, in order. `token`: a word that no other send of this unit uses. */
export function wordsOf(
	rule: SendRule,
	step: SendStep,
	{ configuration, commands = [], token }: Sent
): readonly Said[] {
	const lines = configuration.split('\n').filter((line) => line.trim() !== '');
	const given = {
		seconds: String(rule.seconds),
		minutes: String(Math.ceil(rule.seconds / 60)),
		token,
		configuration,
		commands: commands.join('\n')
	};
	const shown = { ...given, configuration: `(the configuration, ${counted(lines.length, 'line')})` };
	const each = (say: string, name: string, all: readonly string[]): Said[] =>
		all.map((one) => {
			const words = fillIn(say, { ...given, [name]: one });
			return { say: words, input: null, shown: words };
		});
	return rule[step].flatMap((one): Said[] => {
		const { say, input } = typeof one === 'string' ? { say: one, input: null } : one;
		if (openIn(say).includes('command')) return each(say, 'command', commands);
		if (!openIn(say).includes('line'))
			return [
				{
					say: fillIn(say, given),
					input: input === null ? null : fillIn(input, given),
					shown: [say, ...(input === null ? [] : [input])].map((part) => fillIn(part, shown)).join('\n')
				}
			];
		const skipped = rule.skip.map(patternOf);
		return each(
			say,
			'line',
			lines.filter((line) => !skipped.some((pattern) => pattern.isIn(line))).map((line) => line.trimEnd())
		);
	});
}

/** The steps of a flash that a pack has words for. */
export const FLASH_STEPS = ['fetch', 'install', 'undo'] as const;
export type FlashStep = (typeof FLASH_STEPS)[number];
/** What may stand in their words. */
export const IMAGE_NAMES = ['address', 'version', 'hash'] as const;
/** An image, as a unit is told of it. `hash`: SHA-256 in hexadecimal. */
export type ToldImage = Readonly<Record<(typeof IMAGE_NAMES)[number], string>>;

/** What is said in a step of a flash, in order; the right to fetch that is in the address is not shown. */
export const flashWordsOf = (rule: FlashRule, step: FlashStep, image: ToldImage): readonly Said[] =>
	rule[step].map((one) => {
		const { say, input } = typeof one === 'string' ? { say: one, input: null } : one;
		const shown = { ...image, address: image.address.split('?')[0]! };
		return {
			say: fillIn(say, image),
			input: input === null ? null : fillIn(input, image),
			shown: [say, ...(input === null ? [] : [input])].map((part) => fillIn(part, shown)).join('\n')
		};
	});

/** How many minutes and seconds its unit waits for a confirmation, in milliseconds. */
export const timerOf = ({ seconds, commit, begin }: SendRule): number => {
	const isInMinutes = [...commit, ...begin].some((one) =>
		openIn(typeof one === 'string' ? one : one.say).includes('minutes')
	);
	return (isInMinutes ? Math.ceil(seconds / 60) * 60 : seconds) * 1000;
};
