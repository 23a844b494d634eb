export { default as AddressMap } from './AddressMap.svelte';
