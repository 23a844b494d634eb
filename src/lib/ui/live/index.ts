export { connection, listen } from './connection.svelte';
export { refreshOn } from './refresh';
