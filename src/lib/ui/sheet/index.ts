export { default as Sheet } from './Sheet.svelte';
export { cellKey, type SheetCellProblem, type SheetColumn, type SheetRow } from './types';
