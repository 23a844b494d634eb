export { default as NextWindows } from './NextWindows.svelte';
export { default as WindowEditor } from './WindowEditor.svelte';
export { default as StatedWindows } from './StatedWindows.svelte';
