export interface BegunAlert {
	readonly id: string;
	readonly words: string;
	readonly where: string | null;
}
/** What needs a person, as it was asked last: how many units, the number in the tab's title, and alerts that have just begun. */
class Needs {
	count = $state(0);
	/** Alerts that have just begun, and were not put away here. */
	alerts = $state<readonly BegunAlert[]>([]);
}
export const needs = new Needs();

/** So often it is asked: a tab that nobody looks at is read by its title alone. */
const EVERY_MS = 20_000;

/** Asks from now on, until the returned function is called. What cannot be asked leaves the number as it was. */
export function watchNeeds(): () => void {
	let stopped = false;
	let since = '';
	const ask = async () => {
		const answer = await fetch(`/arrivals/needs${since && `?since=${since}`}`).catch(() => null);
		if (stopped || !answer?.ok) return;
		const { count, now, alerts } = (await answer.json()) as {
			count: number;
			now: string;
			alerts: readonly BegunAlert[];
		};
		[needs.count, since] = [count, now];
		needs.alerts = [...alerts, ...needs.alerts].slice(0, MOST_SHOWN);
		for (const alert of alerts) {
			notice(alert);
			setTimeout(() => putAway(alert.id), SHOWN_MS);
		}
	};
	void ask();
	const timer = setInterval(() => void ask(), EVERY_MS);
	return () => {
		stopped = true;
		clearInterval(timer);
	};
}

const MOST_SHOWN = 3;
/** Long enough to be read; on Today it stands until somebody has seen it. */
const SHOWN_MS = 15_000;
export const putAway = (id: string): void =>
	void (needs.alerts = needs.alerts.filter((alert) => alert.id !== id));

/** Where nobody looks at the page, the browser itself says so, if its owner has allowed it to. */
function notice({ id, words, where }: BegunAlert): void {
	if (!document.hidden || !('Notification' in window) || Notification.permission !== 'granted') return;
	const shown = new Notification(where ?? 'Limen', { body: words, tag: id });
	shown.onclick = () => {
		window.focus();
		location.assign(`/upkeep/alerts/${id}`);
	};
}

/** A page's title with that number. */
export const tabTitle = (title: string): string =>
	`${needs.count > 0 ? `(${needs.count}) ` : ''}${title} · Limen`;
