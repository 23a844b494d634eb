import { workingGroups } from './cause';
import type { Plan, SeenPair } from './places';

/**
 * The order of a matrix in which broken groups stand together: hubs first, then each group of places that reach each
 * other, the largest first; within it those that reach all the others, then those that miss the same next to each other;
 * by name where all else is equal. Law: a permutation of the places; the order of what was seen does not matter.
 */
export function matrixOrder(
	plan: Plan,
	seen: readonly SeenPair[],
	nameOf: (id: string) => string
): readonly string[] {
	const byName = plan.places
		.map(({ id }) => ({ id, name: nameOf(id) }))
		.sort((a, b) => a.name.localeCompare(b.name, 'en', { numeric: true }) || (a.id < b.id ? -1 : 1))
		.map(({ id }) => id);
	const isHub = (id: string) => plan.place(id)!.isHub;
	const missed = new Map(byName.map((id) => [id, new Set<string>()]));
	for (const { from, to, path } of seen)
		if (path === 'none') {
			missed.get(from)?.add(to);
			missed.get(to)?.add(from);
		}
	const fingerprint = (id: string) => [...missed.get(id)!].sort().join(' ');
	const groups = workingGroups(
		byName.filter((id) => !isHub(id)),
		seen
	);
	return [
		...byName.filter(isHub),
		...groups.flatMap((group) => {
			const marks = new Map(group.map((id) => [id, fingerprint(id)]));
			return [...group].sort((a, b) => {
				const [first, second] = [marks.get(a)!, marks.get(b)!];
				return first === second ? 0 : first < second ? -1 : 1;
			});
		})
	];
}
