export { default as RunAhead } from './RunAhead.svelte';
