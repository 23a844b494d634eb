export { default as LearntGroup } from './LearntGroup.svelte';
export { default as TakeOnUnits } from './TakeOnUnits.svelte';
export { default as TakeOnControl } from './TakeOnControl.svelte';
