export { default as Serial } from './Serial.svelte';
export { default as Standing } from './Standing.svelte';
export { default as Warnings } from './Warnings.svelte';
export { default as When } from './When.svelte';
export { clock } from './clock.svelte';
export { duration } from './duration';
export * from './site-time';
