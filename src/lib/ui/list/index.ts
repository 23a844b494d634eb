export { default as WorkList } from './WorkList.svelte';
