export { default as HandoverTable } from './HandoverTable.svelte';
export { default as SignatureField } from './SignatureField.svelte';
