export { default as CheckList } from './CheckList.svelte';
export { default as ProofLine } from './ProofLine.svelte';
export { default as LimitsForm } from './LimitsForm.svelte';
