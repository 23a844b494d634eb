export { default as Progress } from './Progress.svelte';
export { default as ShownAlike } from './ShownAlike.svelte';
export { default as WorkBar } from './WorkBar.svelte';
