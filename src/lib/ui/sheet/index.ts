export { default as Sheet } from './Sheet.svelte';
export { type SheetCellProblem, type SheetColumn, type SheetRow } from './types';
