/**
 * Who reaches whom. A place is a position with tunnels whose networks others should reach; a pair is one place asking
 * for another, in that direction. A path is told by the first step that a packet takes.
 */
export interface Place {
	readonly id: string;
	/** Others are reached through it. */
	readonly isHub: boolean;
	readonly tunnels: readonly {
		/** The place at the other end. */
		readonly to: string;
		/** The other end's address in the tunnel: the first step of what goes through it. */
		readonly farAddress: string;
	}[];
}

/** `other`: it answers, by a way that is not in the plan. `unread`: it answered, and nobody can tell what. */
export const PATHS = ['direct', 'hub', 'other', 'none', 'unread'] as const;
export type Path = (typeof PATHS)[number];

export interface Pair {
	readonly from: string;
	readonly to: string;
}
/** What was found of a pair, and when, in milliseconds since the epoch. */
export interface SeenPair extends Pair {
	readonly path: Path;
	readonly lookedAt: number;
}

const NOBODY: ReadonlySet<string> = new Set();

/** Places by their ids, with those that each has a tunnel to. */
export class Plan {
	readonly places: readonly Place[];
	readonly #byId: ReadonlyMap<string, Place>;
	readonly #nextTo: ReadonlyMap<string, ReadonlySet<string>>;
	readonly #hubsOf: ReadonlyMap<string, ReadonlySet<string>>;

	constructor(places: readonly Place[]) {
		this.places = places;
		this.#byId = new Map(places.map((place) => [place.id, place]));
		this.#nextTo = new Map(places.map(({ id, tunnels }) => [id, new Set(tunnels.map(({ to }) => to))]));
		this.#hubsOf = new Map(
			places.map(({ id, tunnels }) => [
				id,
				new Set(tunnels.flatMap(({ to }) => (this.#byId.get(to)?.isHub ? [to] : [])))
			])
		);
	}

	place(id: string): Place | undefined {
		return this.#byId.get(id);
	}

	/** The hubs that a place has a tunnel to. */
	hubsOf(id: string): ReadonlySet<string> {
		return this.#hubsOf.get(id) ?? NOBODY;
	}

	/** How a pair should reach each other; null where the plan says nothing of it. The same in both directions. */
	path({ from, to }: Pair): 'direct' | 'hub' | null {
		if (from === to) return null;
		if (this.#nextTo.get(from)?.has(to)) return 'direct';
		const theirs = this.hubsOf(to);
		for (const hub of this.hubsOf(from)) if (theirs.has(hub)) return 'hub';
		return null;
	}

	/** Whether what was found is not what the plan says. */
	isAstray(found: Pair & { readonly path: Path }): boolean {
		const planned = this.path(found);
		return planned !== null && found.path !== planned;
	}
}
