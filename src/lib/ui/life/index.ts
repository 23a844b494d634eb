export { default as LifeList } from './LifeList.svelte';
