export { default as FindingText } from './FindingText.svelte';
export { default as FindingMeans } from './FindingMeans.svelte';
export { default as LeaveForm } from './LeaveForm.svelte';
export { default as UpkeepRooms } from './UpkeepRooms.svelte';
export { default as VersionOrigin } from './VersionOrigin.svelte';
export * from './words';
