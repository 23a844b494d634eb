/**
 * How long a unit takes to answer, in milliseconds: the shortest time of a while between what was written
 * to it and what came next. The shortest, because an answer also takes what the unit had to do for it, and
 * a keep-alive asks nothing of it. `null` until something was answered.
 */
export class RoundTrip {
	#writtenAt: number | null = null;
	#shortest: number | null = null;

	/** Something was written now; what is written before an answer comes counts from its first byte. */
	wrote(now: number): void {
		this.#writtenAt ??= now;
	}

	/** Something came now. */
	heard(now: number): void {
		if (this.#writtenAt === null) return;
		const took = Math.max(0, now - this.#writtenAt);
		this.#shortest = this.#shortest === null ? took : Math.min(this.#shortest, took);
		this.#writtenAt = null;
	}

	/** The shortest since this was last asked, and begins anew. */
	take(): number | null {
		const shortest = this.#shortest;
		this.#shortest = null;
		return shortest;
	}
}
