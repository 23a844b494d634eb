import type { Dialect } from '../../config';
import type { RenderProblem, RenderResult } from './composition';
import { hunksBetween } from './impact';
import { renderText } from '../text/render';

/**
 * What goes with a configuration and sees the same values: scripts, and the checks that a unit must pass
 * before it counts as online. Files are the same for every unit.
 */
export interface Scripts {
	readonly before?: string;
	readonly after?: string;
}
/** A file that units download. Its address is public to whoever knows its hash: it holds no secrets. */
export interface CarriedFile {
	readonly name: string;
	readonly text: string;
}
/** A question to the unit over its command line, and what must stand in the answer, or must not. */
export interface Question {
	readonly command: string;
	readonly expects: 'words' | 'none of them';
	readonly words: string;
}
/** The question in each dialect that has one; a unit of another dialect is not asked. */
export interface ProofCheck {
	readonly name: string;
	readonly asks: Readonly<Partial<Record<Dialect, Question>>>;
}
/** A check as it is put to one unit. */
export interface ReadyCheck extends Question {
	readonly name: string;
}
export interface Beside {
	readonly before: string | null;
	readonly after: string | null;
	readonly checks: readonly ReadyCheck[];
}
export type BesideResult =
	| { readonly ok: true; readonly beside: Beside }
	| { readonly ok: false; readonly problems: readonly RenderProblem[] };

export const NOTHING_BESIDE: Beside = { before: null, after: null, checks: [] };

/** The name by which texts speak of a file's address: `file.portal_html` for “portal.html”. */
export const fileKey = (name: string): string => name.toLowerCase().replace(/[^a-z0-9]+/g, '_');

/**
 * Renders scripts and checks with what the configuration's own texts saw. Names all that is missing or
 * broken. Laws: the result depends on the input alone; a command is one line, for it is typed once.
 */
export function renderBeside(
	dialect: Dialect,
	{ scripts, checks }: { readonly scripts: Scripts; readonly checks: readonly ProofCheck[] },
	{ scope }: Pick<Extract<RenderResult, { ok: true }>, 'scope'>
): BesideResult {
	const problems: RenderProblem[] = [];
	const rendered = (text: string, piece: string): string => {
		const result = renderText(text, scope);
		if (result.ok) return result.lines.map((line) => line.text).join('\n');
		for (const problem of result.problems) problems.push({ ...problem, piece, scope: null, at: null });
		return '';
	};
	const script = (text: string | undefined, when: string): string | null =>
		text === undefined ? null : `${rendered(text, `Script ${when} the configuration`)}\n`;
	const beside: Beside = {
		before: script(scripts.before, 'before'),
		after: script(scripts.after, 'after'),
		checks: checks.flatMap(({ name, asks }) => {
			const question = asks[dialect];
			if (question === undefined) return [];
			const piece = `Check “${name}”`;
			const { expects } = question;
			const [command, words] = [rendered(question.command, piece), rendered(question.words, piece)];
			const ready = { name, expects, command, words };
			if (ready.command.includes('\n')) problems.push(oneLine(piece));
			return [ready];
		})
	};
	return problems.length > 0 ? { ok: false, problems } : { ok: true, beside };
}

const oneLine = (piece: string): RenderProblem => ({
	kind: 'broken',
	message: 'A command is one line.',
	piece,
	line: 2,
	column: 1,
	field: null,
	scope: null,
	at: null
});

/** Whether a unit's answer is as a check wants it. Case and the amount of white space do not count. */
export function holds({ expects, words }: Pick<Question, 'expects' | 'words'>, answer: string): boolean {
	const plain = (text: string) => text.toLowerCase().replace(/\s+/g, ' ').trim();
	return plain(answer).includes(plain(words)) === (expects === 'words');
}

/** What a profile has beside its configuration, of one revision. */
export interface Kit {
	/** Firmware version by firmware line. */
	readonly targets: Readonly<Record<string, string>>;
	readonly scripts: Readonly<Partial<Record<Dialect, Scripts>>>;
	readonly files: readonly CarriedFile[];
	readonly checks: readonly ProofCheck[];
}
export interface KitChange {
	readonly words: string;
	readonly removed: readonly string[];
	readonly added: readonly string[];
}

/** What differs beside the configuration, thing by thing. Law: two equal kits differ in nothing. */
export function kitChanges(before: Kit, after: Kit): readonly KitChange[] {
	const [old, now] = [thingsOf(before), thingsOf(after)];
	return [...new Set([...old.keys(), ...now.keys()])].flatMap((name) => {
		const [was = '', is = ''] = [old.get(name), now.get(name)];
		if (was === is) return [];
		const how = was === '' ? 'is new' : is === '' ? 'is taken out' : 'changes';
		const hunks = hunksBetween(linesOf(was), linesOf(is));
		return {
			words: `${name} ${how}.`,
			removed: hunks.flatMap(({ removed }) => removed),
			added: hunks.flatMap(({ added }) => added)
		};
	});
}

const linesOf = (text: string): readonly string[] => (text === '' ? [] : text.trimEnd().split('\n'));

/** Each thing of a kit as a text, by what people call it. */
function thingsOf({ targets, scripts, files, checks }: Kit): ReadonlyMap<string, string> {
	return new Map([
		...Object.entries(targets).map(([line, version]) => [`The firmware of ${line}`, version] as const),
		...Object.entries(scripts).flatMap(([dialect, script]) =>
			Object.entries(script ?? {}).map(
				([when, text]) => [`The ${dialect} script ${when} the configuration`, text as string] as const
			)
		),
		...files.map(({ name, text }) => [`The file ${name}`, text] as const),
		...checks.map(({ name, asks }) => [`The check “${name}”`, questionsOf(asks)] as const)
	]);
}

const questionsOf = (asks: ProofCheck['asks']): string =>
	Object.entries(asks)
		.map(([dialect, { command, expects, words }]) => `${dialect}: ${command} (${expects}: ${words})`)
		.sort()
		.join('\n');
