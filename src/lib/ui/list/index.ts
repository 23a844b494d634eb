export { default as WorkList } from './WorkList.svelte';
export { LongRows } from './rows.svelte';
