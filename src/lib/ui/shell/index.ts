export { default as Shell } from './Shell.svelte';
export { isIn, ROOMS } from './rooms';
