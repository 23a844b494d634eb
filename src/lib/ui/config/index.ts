export { default as ConfigText } from './ConfigText.svelte';
