export { default as ConnectorForm } from './ConnectorForm.svelte';
export { default as ConnectorMapping } from './ConnectorMapping.svelte';
export { default as ConnectorRows } from './ConnectorRows.svelte';
export { default as ConnectorStanding } from './ConnectorStanding.svelte';
