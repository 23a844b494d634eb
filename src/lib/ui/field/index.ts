export { default as FieldSite } from './FieldSite.svelte';
export { FieldWork, smallPhoto, type NewEntry } from './work.svelte';
export { keepThisPage } from './kept';
