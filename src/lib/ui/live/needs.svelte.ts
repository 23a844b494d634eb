/** How many units need a person, as it was asked last: the number in the tab's title. */
class Needs {
	count = $state(0);
}
export const needs = new Needs();

/** So often it is asked: a tab that nobody looks at is read by its title alone. */
const EVERY_MS = 20_000;

/** Asks from now on, until the returned function is called. What cannot be asked leaves the number as it was. */
export function watchNeeds(): () => void {
	let stopped = false;
	const ask = async () => {
		const answer = await fetch('/arrivals/needs').catch(() => null);
		if (stopped || !answer?.ok) return;
		const { count } = (await answer.json()) as { count: number };
		needs.count = count;
	};
	void ask();
	const timer = setInterval(() => void ask(), EVERY_MS);
	return () => {
		stopped = true;
		clearInterval(timer);
	};
}

/** A page's title with that number. */
export const tabTitle = (title: string): string =>
	`${needs.count > 0 ? `(${needs.count}) ` : ''}${title} · Limen`;
