import {
	analyzeSync,
	Context,
	Liquid,
	Parser,
	Tokenizer,
	TokenKind,
	toValueSync,
	type Template,
	type TopLevelToken
} from 'liquidjs';
import { registerFilters } from './filters';
import { OriginEmitter, type Mark } from './origin';
import { placeFinder } from './positions';
import { problemOf, TooLarge, type TextProblem } from './problems';

/**
 * The language of configuration texts: Liquid with strict variables and filters, own properties only, no
 * other files, and limits on time, memory and output. A line that holds nothing but tags leaves no line.
 */
export const LARGEST_PROFILE_TEXT = 256 * 1024;
/** For all texts of one rendering together. */
const LONGEST_RENDERING_MS = 1_000;
/** Tags and values of one text: what reads them takes its time on each, and branches on all before them. */
export const MOST_TAGS = 2_000;
/** Different names that a text may read. */
const MOST_NAMES = 500;
/** What loops and filters may allocate, in LiquidJS's own units (about characters). */
const MOST_MEMORY = 4_000_000;
const MOST_CACHED = 512;

/** A text ready to be rendered. */
export interface Compiled {
	readonly templates: Template[];
	/** The fields it reads, each with the first place; `site.name` for what Limen knows. */
	readonly reads: ReadonlyMap<string, { readonly line: number; readonly column: number }>;
}

export const liquid = new Liquid({
	strictVariables: true,
	strictFilters: true,
	ownPropertyOnly: true,
	// A field that may be left out is asked for with “if”
	lenientIf: true,
	parseLimit: LARGEST_PROFILE_TEXT,
	renderLimit: LONGEST_RENDERING_MS,
	memoryLimit: MOST_MEMORY,
	// An empty table of templates in place of the file system
	templates: {}
});
registerFilters(liquid);

/** Groups of names that Limen itself knows; a field cannot have such a name. */
export const KNOWN_GROUPS = ['customer', 'site', 'position', 'port', 'file', 'limen'] as const;
const LOCAL = new Set(['forloop', 'tablerowloop']);

const cache = new Map<string, Compiled | TextProblem>();

/** What all texts of one rendering may take together: time, and what loops and filters allocate. */
export type Limits = Pick<Context, 'renderLimit' | 'memoryLimit'>;
export function newLimits(): Limits {
	const { renderLimit, memoryLimit } = new Context({}, liquid.options, { sync: true });
	return { renderLimit, memoryLimit };
}

/** Reads a text; a problem with its place when a tag is broken or a filter unknown. */
export function compile(text: string): Compiled | TextProblem {
	let compiled = cache.get(text);
	if (compiled === undefined) {
		try {
			compiled = compileAnew(text);
		} catch (error) {
			compiled = problemOf(error);
		}
		if (cache.size >= MOST_CACHED) cache.delete(cache.keys().next().value!);
		cache.set(text, compiled);
	}
	return compiled;
}
export const isProblem = (compiled: Compiled | TextProblem): compiled is TextProblem => 'message' in compiled;

function compileAnew(text: string): Compiled {
	if (text.length > LARGEST_PROFILE_TEXT)
		throw new TooLarge(`A text has ${LARGEST_PROFILE_TEXT.toLocaleString('en')} characters at most.`);
	if (text.split(/\{[{%]/, MOST_TAGS + 2).length > MOST_TAGS + 1)
		throw new TooLarge(`A text has ${MOST_TAGS.toLocaleString('en')} tags and values at most.`);
	const tokens = new Tokenizer(text, liquid.options.operators).readTopLevelTokens(liquid.options);
	dropTagLines(tokens, text);
	const placeOf = placeFinder(text);
	const marks = new Map<Template, Mark>();
	const templates = new MarkingParser(marks, (offset) => placeOf(offset)[0]).parseTokens(tokens);
	const reads = new Map<string, { line: number; column: number }>();
	for (const variables of Object.values(analyzeSync(templates, { partials: false }).globals))
		for (const { segments, location } of variables) {
			const name = fieldName(segments);
			if (reads.size >= MOST_NAMES) throw new TooLarge(`A text reads ${MOST_NAMES} different names at most.`);
			if (!reads.has(name)) reads.set(name, { line: location.row, column: location.col });
		}
	markFields(templates, marks, new Map(), []);
	return { templates, reads };
}

/** Parses as LiquidJS does and notes where each text and each value stands. */
class MarkingParser extends Parser {
	readonly #marks: Map<Template, Mark>;
	readonly #lineAt: (offset: number) => number;

	constructor(marks: Map<Template, Mark>, lineAt: (offset: number) => number) {
		super(liquid);
		this.#marks = marks;
		this.#lineAt = lineAt;
	}

	override parseToken(token: TopLevelToken, remaining: TopLevelToken[]): ReturnType<Parser['parseToken']> {
		const template = super.parseToken(token, remaining);
		const plain = token.kind === TokenKind.HTML;
		if (!plain && token.kind !== TokenKind.Output) return template;
		const skipped = plain ? (token as unknown as { trimLeft: number }).trimLeft : 0;
		const mark: Mark = { line: this.#lineAt(token.begin + skipped), plain, fields: [] };
		this.#marks.set(template, mark);
		const render = template.render.bind(template) as Template['render'];
		(template as Template).render = (context, emitter) => {
			if (emitter instanceof OriginEmitter) emitter.from = mark;
			return render(context, emitter);
		};
		return template;
	}
}

type Plain = TopLevelToken & { trimLeft: number; trimRight: number };
const isPlain = (token: TopLevelToken | undefined): token is Plain => token?.kind === TokenKind.HTML;

/** Neighbouring tokens that belong together: a tag, a comment with all it holds, or a text or value. */
interface Unit {
	readonly isTag: boolean;
	readonly from: number;
	readonly to: number;
	readonly begin: number;
	readonly end: number;
}

function unitsOf(tokens: readonly TopLevelToken[]): readonly Unit[] {
	const units: Unit[] = [];
	const nameAt = (at: number) => (tokens[at] as { name?: string }).name;
	for (let from = 0; from < tokens.length; from++) {
		let to = from;
		if (nameAt(from) === 'comment') while (to < tokens.length - 1 && nameAt(to) !== 'endcomment') to++;
		const isTag = tokens[from]!.kind === TokenKind.Tag;
		units.push({ isTag, from, to, begin: tokens[from]!.begin, end: tokens[to]!.end });
		from = to;
	}
	return units;
}

/** Takes the lines that hold nothing but tags out of the text around them. */
function dropTagLines(tokens: readonly TopLevelToken[], text: string): void {
	const units = unitsOf(tokens);
	const isBlank = (unit: Unit | undefined) =>
		unit !== undefined && !unit.isTag && /^[^\S\n]*$/.test(text.slice(unit.begin, unit.end));
	for (let first = 0; first < units.length; first++) {
		if (!units[first]!.isTag) continue;
		// As far as tags follow each other with nothing but blanks between them
		let last = first;
		while (units[last + 1]?.isTag || (isBlank(units[last + 1]) && units[last + 2]?.isTag))
			last += units[last + 1]!.isTag ? 1 : 2;
		if (standsAlone(text, units[first]!.begin, units[last]!.end)) dropLine(tokens, text, units, first, last);
		first = last;
	}
}

/** Whether nothing but blanks stands before and after on the same line. */
function standsAlone(text: string, begin: number, end: number): boolean {
	const lineEnd = text.indexOf('\n', end);
	const before = text.slice(text.lastIndexOf('\n', begin - 1) + 1, begin);
	return before.trim() === '' && text.slice(end, lineEnd < 0 ? undefined : lineEnd).trim() === '';
}

function dropLine(
	tokens: readonly TopLevelToken[],
	text: string,
	units: readonly Unit[],
	first: number,
	last: number
): void {
	const lineStart = text.lastIndexOf('\n', units[first]!.begin - 1) + 1;
	const lineEnd = text.indexOf('\n', units[last]!.end);
	const previous = tokens[units[first]!.from - 1];
	if (isPlain(previous)) previous.trimRight = Math.max(previous.trimRight, units[first]!.begin - lineStart);
	for (let at = first; at <= last; at++) {
		const following = units[at]!.isTag ? tokens[units[at]!.to + 1] : undefined;
		if (!isPlain(following)) continue;
		const whole = lineEnd < 0 ? text.length : lineEnd + 1;
		const blanks = at === last ? whole - units[last]!.end : following.end - following.begin;
		following.trimLeft = Math.max(following.trimLeft, blanks);
	}
}

const fieldName = (segments: readonly unknown[]): string => {
	const [root, second] = segments.map(String);
	return (KNOWN_GROUPS as readonly string[]).includes(root!) && second !== undefined
		? `${root}.${second}`
		: root!;
};

type Arguments = Iterable<unknown>;

/** What is read of a row of a list that Limen knows has a name of its own: `position.tunnels.secret`. */
const rowName = (list: string, [, second]: readonly unknown[]): string =>
	second !== undefined && list.split('.').length === 2 ? `${list}.${String(second)}` : list;

/** The fields that some arguments read, where names of the text's own stand for the fields behind them. */
function fieldsOf(owner: Template, locals: ReadonlyMap<string, readonly string[]>): readonly string[] {
	if (!owner.arguments) return [];
	const alone = {
		token: owner.token,
		arguments: () => owner.arguments!() as Arguments
	} as unknown as Template;
	const names = new Set<string>();
	for (const variables of Object.values(analyzeSync([alone], { partials: false }).variables))
		for (const { segments } of variables) {
			const name = fieldName(segments);
			const behind = locals.get(name);
			if (behind) for (const one of behind) names.add(rowName(one, segments));
			else if (!LOCAL.has(name)) names.add(name);
		}
	return [...names];
}

/** Notes at each mark the fields it depends on: its own, and those of the tags around it. */
function markFields(
	templates: readonly Template[],
	marks: ReadonlyMap<Template, Mark>,
	locals: Map<string, readonly string[]>,
	around: readonly string[]
): void {
	for (const template of templates) {
		const own = fieldsOf(template, locals);
		const all = [...new Set([...around, ...own])];
		const mark = marks.get(template);
		if (mark) mark.fields = all;
		const children = template.children ? (toValueSync(template.children(false, true)) as Template[]) : [];
		// Names of a block's own end with it; what is assigned inside it stays, as in Liquid
		const hidden = [...(template.blockScope?.() ?? [])].map((name) => [name, locals.get(name)] as const);
		for (const [name] of hidden) locals.set(name, own);
		markFields(children, marks, locals, all);
		for (const [name, before] of hidden)
			if (before) locals.set(name, before);
			else locals.delete(name);
		const made = [...(template.localScope?.() ?? [])];
		if (made.length === 0) continue;
		const within = children.flatMap((child) => marks.get(child)?.fields ?? []);
		for (const token of made) {
			const name = token.getText();
			locals.set(name, [...new Set([...(locals.get(name) ?? []), ...all, ...within])]);
		}
	}
}

/** Problems of the text itself, before any value is known. Empty when it can be rendered. */
export function checkText(text: string): readonly TextProblem[] {
	const compiled = compile(text);
	return isProblem(compiled) ? [compiled] : [];
}
