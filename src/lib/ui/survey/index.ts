export { default as FoundList } from './FoundList.svelte';
export { default as RunStanding } from './RunStanding.svelte';
export { default as SurveyDrawing } from './SurveyDrawing.svelte';
export { default as ThingFacts } from './ThingFacts.svelte';
export { EVERY, outcomeShown, whatItIs } from './words';
