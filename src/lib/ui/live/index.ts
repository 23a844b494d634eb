export { connection, listen } from './connection.svelte';
export { goFirst, loadAnew, refreshOn } from './refresh';
export { needs, tabTitle, watchNeeds } from './needs.svelte';
export { wantedQuery } from './wanted';
