export { connection, listen } from './connection.svelte';
export { goFirst, loadAnew, pageAskedFor, refreshOn, untilAnswered } from './refresh';
export { needs, putAway, tabTitle, watchNeeds, type BegunAlert } from './needs.svelte';
export { wantedQuery } from './wanted';
