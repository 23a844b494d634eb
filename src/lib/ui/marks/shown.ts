/** How something stands, as lists, pages and maps name it; and how much it wants a person. */
const HOW_BAD = {
	stuck: 6,
	'proof-failed': 6,
	stalled: 6,
	'not-heard': 5,
	late: 4,
	'under way': 3,
	moving: 3,
	unproven: 2,
	waiting: 1,
	open: 1,
	empty: 1,
	online: 0,
	through: 0,
	cancelled: 0,
	retired: 0
} as const;
export type Shown = keyof typeof HOW_BAD;

/** Puts the better before the worse, so that the worse is drawn over it. */
export const betterFirst = (one: Shown, other: Shown): number => HOW_BAD[one] - HOW_BAD[other];
/** What stands for many in one place; of none: online. */
export const worstOf = (all: readonly Shown[]): Shown => all.toSorted(betterFirst).at(-1) ?? 'online';
