export { default as KeyField } from './KeyField.svelte';
