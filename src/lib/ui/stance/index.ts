export { default as StanceForm } from './StanceForm.svelte';
