import { judge, type Answered, type Figure } from '../proof';
import type { Pair, Path, Plan } from './places';

/** What two answers say of a pair: whether, how fast and by which path. Loss in percent, time there and back. */
export interface Crossing {
	readonly path: Path;
	readonly loss: number | null;
	readonly milliseconds: number | null;
	readonly hops: number | null;
	readonly words: string;
}

const figure = (figures: readonly Figure[], name: string): number | null =>
	figures.find((one) => one.name === name)?.value ?? null;

/**
 * What a place's answers mean for a pair: `reach` to its question whether `host` at the other answers, `path` to the one
 * by which way (null where it cannot be asked). Laws: without an answer there is no path; a path is told by its first
 * step; what cannot be read is never told as reached or not reached.
 */
export function judgeCrossing(
	plan: Plan,
	pair: Pair,
	host: string,
	reach: Answered,
	path: Answered | null
): Crossing {
	const reached = judge({ kind: 'reach', host, loss: 99, milliseconds: Infinity }, reach);
	if (reached.state === 'unread') return { ...NOTHING, path: 'unread', words: reached.words };
	const loss = figure(reached.figures, 'loss');
	if (loss === 100) return { ...NOTHING, path: 'none', loss, words: reached.words };
	const known = { loss, milliseconds: figure(reached.figures, 'round trip') };
	const steps = (path?.rows ?? []).flatMap(({ hop }) => (hop === undefined || hop === '' ? [] : [hop]));
	const [first] = steps;
	const hops = first === undefined ? null : steps.length;
	if (first === undefined)
		return { ...known, path: 'other', hops, words: `${reached.words} It does not say by which way.` };
	const through = plan.place(pair.from)?.tunnels.find(({ farAddress }) => farAddress === first)?.to;
	if (through === pair.to) return { ...known, path: 'direct', hops, words: `${reached.words} Directly.` };
	if (through !== undefined && plan.place(through)?.isHub)
		return { ...known, path: 'hub', hops, words: `${reached.words} By way of the hub.` };
	return { ...known, path: 'other', hops, words: `${reached.words} The first step is ${first}.` };
}
const NOTHING = { loss: null, milliseconds: null, hops: null } as const;
