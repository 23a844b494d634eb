export { default as NeedsPerson } from './NeedsPerson.svelte';
