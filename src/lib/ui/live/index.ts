export { connection, listen } from './connection.svelte';
export { patient } from './patient';
export { goFirst, loadAnew, oneByOne, pageAskedFor, refresher, refreshOn, untilAnswered } from './refresh';
export { needs, putAway, tabTitle, watchNeeds, type BegunAlert } from './needs.svelte';
export { wantedQuery } from './wanted';
