export { default as FormWords } from './FormWords.svelte';
export * from './may';
