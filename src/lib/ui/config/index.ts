export { default as ConfigText } from './ConfigText.svelte';
export { default as PointedLines } from './PointedLines.svelte';
