export { default as AddressMap } from './AddressMap.svelte';
export { default as SiteMap } from './SiteMap.svelte';
