import { invalidate } from '$app/navigation';
import { listen } from './connection.svelte';

/** Loads a page's data again whenever one of the topics changes; many changes at once are one load. */
export function refreshOn(topics: readonly string[], key = 'limen:live'): () => void {
	let loading = false;
	let again = false;
	const refresh = async () => {
		again = true;
		if (loading) return;
		loading = true;
		while (again) {
			again = false;
			await invalidate(key);
		}
		loading = false;
	};
	return listen(`/live?topics=${topics.join(',')}`, { change: () => void refresh() }, () => void refresh());
}
