export { default as BatchOutcome } from './BatchOutcome.svelte';
export { default as Columns } from './Columns.svelte';
export { default as Lately } from './Lately.svelte';
export { default as Refused } from './Refused.svelte';
export { default as Waiting } from './Waiting.svelte';
export * from './words';
