export { default as FieldTable } from './FieldTable.svelte';
export { default as PositionPreview } from './PositionPreview.svelte';
export { default as RenderedText } from './RenderedText.svelte';
