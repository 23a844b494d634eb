/** Whether whoever is at the screen has to sign in again, and what goes on afterwards. */
class Session {
	#goOn: (() => void) | null = $state.raw(null);

	get ended(): boolean {
		return this.#goOn !== null;
	}
	/** The session ran out while something was being sent; it is sent again after signing in. */
	end(goOn: () => void): void {
		this.#goOn = goOn;
	}
	/** Signed in again: what was being sent goes on. */
	resume(): void {
		const goOn = this.#goOn;
		this.#goOn = null;
		goOn?.();
	}
	leave(): void {
		this.#goOn = null;
	}
}
export const session = new Session();
