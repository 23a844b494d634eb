export { default as SiteOfDay } from './SiteOfDay.svelte';
export { DayWork, smallPhoto, type NewEntry } from './work.svelte';
export { forgetPages, keepThisPage } from './kept';
