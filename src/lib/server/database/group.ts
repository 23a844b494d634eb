import { runAs, type Identity } from './identity';

/**
 * Group commit for calls that come by the hundred at once: while one group is being worked, the calls
 * that arrive wait and then go together. Nothing waits for a timer: a lone call goes at once.
 * Whoever calls, the group's work runs as `who`.
 * A group that fails is worked again one by one, so that one bad item fails alone.
 */
export function grouped<Item, Result>(
	who: Identity,
	work: (items: readonly Item[]) => Promise<readonly Result[]>,
	most = 200
): (item: Item) => Promise<Result> {
	interface Waiting {
		readonly item: Item;
		readonly resolve: (result: Result) => void;
		readonly reject: (error: unknown) => void;
	}
	let waiting: Waiting[] = [];
	let busy = false;

	async function attempt(group: readonly Waiting[]): Promise<void> {
		try {
			const results = await runAs(who, () => work(group.map(({ item }) => item)));
			group.forEach(({ resolve }, index) => resolve(results[index]!));
		} catch (error) {
			if (group.length === 1) group[0]!.reject(error);
			else for (const one of group) await attempt([one]);
		}
	}

	async function drain(): Promise<void> {
		busy = true;
		while (waiting.length > 0) {
			const group = waiting.slice(0, most);
			waiting = waiting.slice(most);
			await attempt(group);
		}
		busy = false;
	}

	return (item) =>
		new Promise<Result>((resolve, reject) => {
			waiting.push({ item, resolve, reject });
			// After this turn of the event loop, so that calls read in the same turn go together
			if (!busy) {
				busy = true;
				setImmediate(() => void drain());
			}
		});
}
