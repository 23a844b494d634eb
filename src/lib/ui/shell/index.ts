export { default as Threshold } from './Threshold.svelte';
export { default as Shell } from './Shell.svelte';
export { isIn, ROOMS } from './rooms';
