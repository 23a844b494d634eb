export { default as AddressMap } from './AddressMap.svelte';
export { default as SiteMap } from './SiteMap.svelte';
export { default as CablingDrawing } from './CablingDrawing.svelte';
export { default as PathMark } from './PathMark.svelte';
export { default as DaysChart } from './DaysChart.svelte';
export { default as ReachMatrix } from './ReachMatrix.svelte';
export { default as SizeLine } from './SizeLine.svelte';
export { default as StepCurve } from './StepCurve.svelte';
