import { figureKind, FIGURE_NAMES, readKey, type Figure } from './figures';
import { summed, type Series } from './grain';
import type { Span } from './uptime';

/** What people look back over, and how long it is. */
const HOUR_MS = 3_600_000;
export const SPANS = {
	day: { words: 'Day', length: 24 * HOUR_MS },
	week: { words: 'Week', length: 7 * 24 * HOUR_MS },
	month: { words: 'Month', length: 30 * 24 * HOUR_MS },
	year: { words: 'Year', length: 365 * 24 * HOUR_MS }
} as const;
export type SpanName = keyof typeof SPANS;
const isSpanName = (name: string): name is SpanName => Object.hasOwn(SPANS, name);

/** A span that somebody chose is at least so long, and lies within what can have been. */
const SHORTEST = 10 * 60_000;
const LONGEST = 10 * 365 * 24 * HOUR_MS;

/**
 * What is looked at: from and to as milliseconds, or a name of SPANS that ends now. What is neither is a day; a span that
 * is too short or too long, the wrong way round or in the future is made one that can be looked at.
 */
export function spanIn(
	given: { readonly span?: string | null; readonly from?: string | null; readonly to?: string | null },
	now: number
): Span & { readonly name: SpanName | null } {
	const [from, to] = [instantIn(given.from), instantIn(given.to)];
	if (from !== null && to !== null && from < to) {
		const end = Math.min(Math.max(to, now - LONGEST + SHORTEST), now);
		return { from: Math.max(Math.min(from, end - SHORTEST), now - LONGEST), to: end, name: null };
	}
	const name = given.span && isSpanName(given.span) ? given.span : 'day';
	return { from: now - SPANS[name].length, to: now, name };
}
const instantIn = (text: string | null | undefined): number | null =>
	text && /^\d{1,14}$/.test(text) ? Number(text) : null;

/** The questions that charts answer, each with the figures that are in it; those of one chart share their unit. */
const QUESTIONS: readonly { readonly title: string; readonly figures: readonly Figure[] }[] = [
	{ title: 'How busy is it?', figures: ['processor', 'memory'] },
	{ title: 'Was it connected?', figures: ['connected'] },
	{ title: 'What comes in?', figures: ['received'] },
	{ title: 'What goes out?', figures: ['sent'] },
	{ title: 'Were its tunnels up?', figures: ['tunnel'] },
	{ title: 'How long does it take to answer?', figures: ['trip'] },
	{ title: 'How many use its radio?', figures: ['clients'] },
	{ title: 'How warm is it?', figures: ['temperature'] },
	{ title: 'How well does it hear the cellular network?', figures: ['signal'] },
	{ title: 'How much arrives damaged?', figures: ['errors'] },
	{ title: 'Were its ports up?', figures: ['port'] }
];
export const CHARTED: readonly Figure[] = QUESTIONS.flatMap(({ figures }) => figures);

export interface Chart<One extends Series> {
	readonly title: string;
	readonly figure: Figure;
	/** Those that say most, first. */
	readonly series: readonly One[];
	/** How many more there are. */
	readonly more: number;
}
/** More lines in one chart cannot be told apart. */
export const MOST_LINES = 6;

/**
 * The charts of some series, in the order in which one looks. A chart that would say nothing (no port damages anything,
 * every port is as it was all the time) is left out.
 */
export function chartsOf<One extends Series>(all: readonly One[]): Chart<One>[] {
	const byFigure = new Map<Figure, One[]>(FIGURE_NAMES.map((figure) => [figure, []]));
	for (const one of all) {
		const read = readKey(one.key);
		if (read) byFigure.get(read.figure)!.push(one);
	}
	return QUESTIONS.flatMap(({ title, figures }) => {
		const found = figures.flatMap((figure) => byFigure.get(figure)!).filter(saysSomething);
		const ranked = figureKind(figures[0]!).of ? [...found].sort(byWeight) : found;
		return ranked.length === 0
			? []
			: [
					{
						title,
						figure: figures[0]!,
						series: ranked.slice(0, MOST_LINES),
						more: Math.max(0, ranked.length - MOST_LINES)
					}
				];
	});
}

function saysSomething({ key, points }: Series): boolean {
	const { figure } = readKey(key)!;
	if (figure === 'errors') return points.some(({ max }) => max > 0);
	if (figure === 'port') return new Set(points.flatMap(({ min, max }) => [min, max])).size > 1;
	return points.length > 0;
}

const weight = (series: Series): number => {
	const mean = summed(series.points)?.mean ?? 0;
	return figureKind(readKey(series.key)!.figure).worse === 'low' ? -mean : mean;
};
const byWeight = (one: Series, other: Series): number => weight(other) - weight(one);

/** What units are put beside each other by. */
export const COMPARED: readonly Figure[] = [
	'processor',
	'memory',
	'temperature',
	'received',
	'sent',
	'clients',
	'trip',
	'tunnel',
	'signal'
];
export const isCompared = (figure: Figure): boolean => COMPARED.includes(figure);

/** The span as the query of an address, so that whoever goes on looks at the same time. Law: `spanIn` reads it back. */
export const spanQuery = ({ name, from, to }: Span & { readonly name: SpanName | null }): string =>
	name === null ? `from=${Math.round(from)}&to=${Math.round(to)}` : `span=${name}`;
