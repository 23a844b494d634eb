export { default as Differences } from './Differences.svelte';
export { default as PatternEditor } from './PatternEditor.svelte';
export { default as SiteForm } from './SiteForm.svelte';
