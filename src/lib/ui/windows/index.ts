export { default as NextWindows } from './NextWindows.svelte';
export { default as WindowEditor } from './WindowEditor.svelte';
