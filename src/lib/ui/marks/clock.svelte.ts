/** One clock for all relative times on a page. It ticks in the browser only. */
class Clock {
	now = $state(Date.now());
}
export const clock = new Clock();
if (typeof window !== 'undefined') setInterval(() => (clock.now = Date.now()), 1000);
