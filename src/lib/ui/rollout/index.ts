export { default as CourseDrawing } from './CourseDrawing.svelte';
export { default as PlanRollout } from './PlanRollout.svelte';
export { default as RolloutBoard } from './RolloutBoard.svelte';
export { default as WaveLine } from './WaveLine.svelte';
export { ITEMS, STATES } from './words';
