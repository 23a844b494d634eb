export { default as ScanLabel } from './ScanLabel.svelte';
