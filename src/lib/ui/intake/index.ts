export { default as Columns } from './Columns.svelte';
export { default as Refused } from './Refused.svelte';
export { default as Waiting } from './Waiting.svelte';
export * from './words';
