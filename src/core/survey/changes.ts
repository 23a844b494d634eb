import type { SurveyedThing } from './map';

/** What is otherwise than in the survey before. */
export interface SurveyChanges {
	/** Keys of things that were not there. */
	readonly isNew: ReadonlySet<string>;
	/** What changed of a thing, in words, by its key. */
	readonly changed: Readonly<Record<string, readonly string[]>>;
	readonly gone: readonly SurveyedThing[];
}

/**
 * Compares two surveys of the same network. Law: a survey compared with itself has no changes. What let in before and does not now
 * has changed in that, and only in that: what it no longer says is not known to be otherwise.
 */
export function changesBetween(
	before: readonly SurveyedThing[],
	now: readonly SurveyedThing[]
): SurveyChanges {
	const byKey = new Map(before.map((thing) => [thing.key, thing]));
	const bySerial = new Map(
		before.flatMap((thing) => (thing.serial ? [[serialOf(thing), thing] as const] : []))
	);
	// What it is known by can have become more since
	const earlier = new Map(
		now.map((thing) => [
			thing.key,
			byKey.get(thing.key) ?? (thing.serial ? bySerial.get(serialOf(thing)) : undefined)
		])
	);
	const still = new Set([...earlier.values()].flatMap((thing) => thing?.key ?? []));
	return {
		isNew: new Set(now.flatMap(({ key }) => (earlier.get(key) ? [] : [key]))),
		changed: Object.fromEntries(
			now.flatMap((thing) => {
				const was = earlier.get(thing.key);
				const words = was ? changesOf(was, thing) : [];
				return words.length > 0 ? [[thing.key, words]] : [];
			})
		),
		gone: before.filter(({ key }) => !still.has(key))
	};
}
const serialOf = ({ maker, serial }: SurveyedThing): string => `${maker} ${serial}`;

function changesOf(was: SurveyedThing, is: SurveyedThing): readonly string[] {
	if (was.outcome === 'in' && is.outcome !== 'in')
		return [is.outcome === null ? 'no longer found at an address' : `let in before, now: ${is.outcome}`];
	if (was.outcome !== 'in' && is.outcome === 'in') return ['lets in now'];
	const said = (what: string, a: string | null, b: string | null) =>
		a !== b && a && b ? [`${what} ${a} → ${b}`] : [];
	return [
		...said('firmware', was.version, is.version),
		...said('name', was.name, is.name),
		...said('model', was.model, is.model),
		...said('address', was.addresses.join(', '), is.addresses.join(', '))
	];
}
