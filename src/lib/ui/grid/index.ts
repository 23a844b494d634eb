export { default as Grid, type GridColumn } from './Grid.svelte';
export { InView } from './in-view.svelte';
