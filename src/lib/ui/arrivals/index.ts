export { default as BindAnyway } from './BindAnyway.svelte';
export { Board, standingOfRow, type BoardCounts, type BoardRow } from './board.svelte';
export { default as Crossing } from './Crossing.svelte';
export { default as ExpectedEnd } from './ExpectedEnd.svelte';
export { default as FailureGroups } from './FailureGroups.svelte';
export { default as RunActions } from './RunActions.svelte';
export { default as RunSteps } from './RunSteps.svelte';
export { default as Track } from './Track.svelte';
export { default as UnitPicker } from './UnitPicker.svelte';
