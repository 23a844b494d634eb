export { default as KeptReports } from './KeptReports.svelte';
export { default as ReportPaper } from './ReportPaper.svelte';
export { default as RhythmFields } from './RhythmFields.svelte';
