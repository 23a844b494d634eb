/**
 * One clock for all relative times on a page: the server's, whatever the browser's own says. It ticks in the
 * browser; on the server it is read anew each time, for one process makes the pages of many days.
 */
class Clock {
	#now = $state(Date.now());
	/** How far the browser's clock is behind the server's, in milliseconds. */
	#behind = 0;

	get now(): number {
		return typeof window === 'undefined' ? Date.now() : this.#now;
	}
	/** Sets it by what the server's clock said a moment ago. */
	sync(serverNow: number): void {
		this.#behind = serverNow - Date.now();
		this.tick();
	}
	tick(): void {
		this.#now = Date.now() + this.#behind;
	}
}
export const clock = new Clock();
if (typeof window !== 'undefined') setInterval(() => clock.tick(), 1000);
