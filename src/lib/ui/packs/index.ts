export { default as TrialResult } from './TrialResult.svelte';
