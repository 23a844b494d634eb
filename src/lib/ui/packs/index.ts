export { default as DeviceCertificates } from './DeviceCertificates.svelte';
export { default as TrialResult } from './TrialResult.svelte';
