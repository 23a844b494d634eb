export { default as TextEditor } from './TextEditor.svelte';
export { default as TextDifference } from './TextDifference.svelte';
