export { default as BesideEditor } from './BesideEditor.svelte';
export { default as DraftPreview } from './DraftPreview.svelte';
export { default as FieldTable } from './FieldTable.svelte';
export { default as GivenValues } from './GivenValues.svelte';
export { default as PartOrder, type UsedPart } from './PartOrder.svelte';
export { default as PositionPreview } from './PositionPreview.svelte';
export { default as RenderedText } from './RenderedText.svelte';
