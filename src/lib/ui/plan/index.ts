export { default as ChosenPosition } from './ChosenPosition.svelte';
export { default as CopySetUp } from './CopySetUp.svelte';
export { default as Differences } from './Differences.svelte';
export { default as PatternEditor } from './PatternEditor.svelte';
export { default as SiteForm } from './SiteForm.svelte';
export { default as SiteOutlook, type Outlook } from './SiteOutlook.svelte';
export { default as SiteStrip } from './SiteStrip.svelte';
export { default as SiteCabling } from './SiteCabling.svelte';
