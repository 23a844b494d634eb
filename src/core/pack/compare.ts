import type { Pack } from './schema';

/** One thing that a new version of a pack changes. */
export interface PackChange {
	readonly kind: 'new' | 'gone' | 'changed';
	/** What it belongs to: the model “X”, the talk “y”. */
	readonly thing: string;
	/** Where in it, such as `asks.version.say.0`; empty for the whole thing. */
	readonly place: string;
	readonly before: string | null;
	readonly after: string | null;
}
const MOST_CHANGES = 1_000;
const LONGEST_SHOWN = 300;

/** What the second pack changes of the first, model by model, whatever the order in which either tells them. */
export function comparePacks(before: Pack, after: Pack): readonly PackChange[] {
	const changes: PackChange[] = [];
	const sections: readonly [string, (pack: Pack) => Readonly<Record<string, unknown>>][] = [
		['the maker', ({ maker }) => maker],
		['the device certificates', ({ devices }) => ({ '': devices })],
		['the notes', ({ notes }) => ({ '': notes })],
		['the model', ({ models }) => Object.fromEntries(models.map((model) => [model.name, model]))],
		['the firmware', ({ firmware }) => firmware],
		['the talk', ({ talks }) => talks],
		['the dialect', ({ dialects }) => dialects]
	];
	for (const [words, of] of sections) {
		const [left, right] = [of(before), of(after)];
		for (const key of new Set([...Object.keys(left), ...Object.keys(right)]))
			compareValues(`${words}${key ? ` “${key}”` : ''}`, '', left[key], right[key], changes);
	}
	return changes.slice(0, MOST_CHANGES);
}

function compareValues(
	thing: string,
	place: string,
	before: unknown,
	after: unknown,
	changes: PackChange[]
): void {
	if (before === after) return;
	if (isObject(before) && isObject(after) && Array.isArray(before) === Array.isArray(after)) {
		for (const key of new Set([...Object.keys(before), ...Object.keys(after)]))
			compareValues(thing, place ? `${place}.${key}` : key, before[key], after[key], changes);
		return;
	}
	changes.push({
		kind: before === undefined ? 'new' : after === undefined ? 'gone' : 'changed',
		thing,
		place,
		before: shown(before),
		after: shown(after)
	});
}

const isObject = (value: unknown): value is Readonly<Record<string, unknown>> =>
	typeof value === 'object' && value !== null;
function shown(value: unknown): string | null {
	if (value === undefined) return null;
	const text = typeof value === 'string' ? value : JSON.stringify(value);
	return text.length > LONGEST_SHOWN ? `${text.slice(0, LONGEST_SHOWN)}…` : text;
}
