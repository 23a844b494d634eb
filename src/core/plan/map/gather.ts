/** A place on a drawing, in pixels. */
interface Place {
	readonly x: number;
	readonly y: number;
}

/**
 * Places that would cover each other, gathered. Each group stands at the middle of its places. Laws: every place is
 * in one group; two groups that hold one place each are at least `apart` from each other in one direction; the
 * order of the groups is that of their first places. Linear in the number of places: only neighbouring squares are
 * looked at.
 */
export function gather<One extends Place>(
	places: readonly One[],
	apart: number
): readonly { readonly x: number; readonly y: number; readonly members: readonly One[] }[] {
	const groups: { x: number; y: number; members: One[] }[] = [];
	const squares = new Map<string, number[]>();
	const square = (value: number) => Math.floor(value / apart);
	for (const place of places) {
		const [column, row] = [square(place.x), square(place.y)];
		let near: number | undefined;
		for (let dx = -1; dx <= 1 && near === undefined; dx++)
			for (let dy = -1; dy <= 1 && near === undefined; dy++)
				near = squares.get(`${column + dx} ${row + dy}`)?.find((index) => {
					// A group is reached from where it began, so that it does not creep along a street
					const [first] = groups[index]!.members;
					return Math.abs(first!.x - place.x) < apart && Math.abs(first!.y - place.y) < apart;
				});
		if (near !== undefined) {
			groups[near]!.members.push(place);
			continue;
		}
		const key = `${column} ${row}`;
		squares.set(key, [...(squares.get(key) ?? []), groups.length]);
		groups.push({ x: place.x, y: place.y, members: [place] });
	}
	const mean = (members: readonly One[], pick: (one: One) => number) =>
		members.reduce((sum, one) => sum + pick(one), 0) / members.length;
	return groups.map(({ members }) => ({
		x: mean(members, ({ x }) => x),
		y: mean(members, ({ y }) => y),
		members
	}));
}
