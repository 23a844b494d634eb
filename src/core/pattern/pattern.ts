import { RE2JS, RE2JSException } from 're2js';
import * as v from 'valibot';

/**
 * Regular expressions that come from outside. They run on an engine whose time is linear in the text whatever the
 * expression is (RE2's; no look-around and no references back), so none can stall anything.
 */
export interface Pattern {
	/** Whether the whole text fits. */
	readonly fits: (text: string) => boolean;
	/** Whether it stands anywhere in the text. */
	readonly isIn: (text: string) => boolean;
	/** The named groups of the first place where it stands; null when it stands nowhere. */
	readonly first: (text: string) => Groups | null;
	/** The named groups of every place where it stands, up to `most`. */
	readonly each: (text: string, most: number) => readonly Groups[];
	/** Where it begins and ends for the first time, or null. */
	readonly place: (text: string) => { readonly start: number; readonly end: number } | null;
}
export type Groups = Readonly<Record<string, string>>;

export const LONGEST_PATTERN = 1000;
/** What a pattern may become when it is compiled; repeats of repeats grow without end. */
const MOST_INSTRUCTIONS = 20_000;

/** Why a text is no pattern; null when it is one. `^` and `$` stand at the ends of lines. */
export function patternProblem(text: string): string | null {
	try {
		compiled(text);
		return null;
	} catch (error) {
		return (error as Error).message;
	}
}

/** A pattern in a document. */
export const patternSchema = v.pipe(
	v.string(),
	v.rawCheck(({ dataset, addIssue }) => {
		const problem = dataset.typed ? patternProblem(dataset.value) : null;
		if (problem) addIssue({ message: problem });
	})
);

/** The pattern of a text that `patternProblem` finds nothing wrong with; throws otherwise. */
export const patternOf = (text: string): Pattern => compiled(text);

/** The names of its groups. */
export const groupsOf = (text: string): readonly string[] => Object.keys(expressionOf(text).namedGroups());

const MOST_KEPT = 2_000;
const kept = new Map<string, Pattern>();

function expressionOf(text: string): RE2JS {
	if (text.length > LONGEST_PATTERN)
		throw new Error(`A pattern has at most ${LONGEST_PATTERN.toLocaleString('en')} characters.`);
	try {
		const expression = RE2JS.compile(text, RE2JS.MULTILINE);
		if (expression.programSize() > MOST_INSTRUCTIONS)
			throw new Error('This pattern repeats too much inside what it repeats.');
		return expression;
	} catch (error) {
		if (!(error instanceof RE2JSException)) throw error;
		const why = error.message.replace(/^error parsing regexp: /, '');
		throw new Error(`This is no pattern: ${why}.`, { cause: error });
	}
}

function compiled(text: string): Pattern {
	const before = kept.get(text);
	if (before) return before;
	const expression = expressionOf(text);
	const names = Object.keys(expression.namedGroups());
	type Matcher = ReturnType<RE2JS['matcher']>;
	const groups = (matcher: Matcher): Groups =>
		Object.fromEntries(names.map((name) => [name, matcher.group(name) ?? '']));
	const pattern: Pattern = {
		fits: (subject) => expression.testExact(subject),
		isIn: (subject) => expression.test(subject),
		first: (subject) => {
			const matcher = expression.matcher(subject);
			return matcher.find() ? groups(matcher) : null;
		},
		each: (subject, most) => {
			const found: Groups[] = [];
			const matcher = expression.matcher(subject);
			while (found.length < most && matcher.find()) found.push(groups(matcher));
			return found;
		},
		place: (subject) => {
			const matcher = expression.matcher(subject);
			return matcher.find() ? { start: matcher.start(), end: matcher.end() } : null;
		}
	};
	if (kept.size >= MOST_KEPT) kept.delete(kept.keys().next().value!);
	kept.set(text, pattern);
	return pattern;
}
