export { default as ConfirmItIsYou } from './ConfirmItIsYou.svelte';
export { default as FormWords } from './FormWords.svelte';
export * from './may';
