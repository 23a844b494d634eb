export { default as LookAtMany } from './LookAtMany.svelte';
export { default as SendTrack } from './SendTrack.svelte';
export { standingOfSend } from './standing';
