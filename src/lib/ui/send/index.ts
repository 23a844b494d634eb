export { default as SendTrack } from './SendTrack.svelte';
export { standingOfSend } from './standing';
