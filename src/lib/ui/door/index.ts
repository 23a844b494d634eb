export { default as Callers } from './Callers.svelte';
