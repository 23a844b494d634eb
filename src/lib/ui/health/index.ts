export { default as FigureTable } from './FigureTable.svelte';
export { default as SeriesChart } from './SeriesChart.svelte';
export { default as SpanTabs } from './SpanTabs.svelte';
export { default as UptimeMark } from './UptimeMark.svelte';
