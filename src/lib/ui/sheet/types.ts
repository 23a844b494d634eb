import type { Field } from '$core/profile';

export interface SheetColumn {
	readonly field: Field;
	readonly target: 'site' | 'position';
	readonly secret: boolean;
}
export interface SheetRow {
	readonly positionId: string;
	readonly position: string;
	readonly siteId: string;
	readonly site: string;
	readonly customer: string;
	readonly cells: readonly string[];
	readonly instead: readonly string[];
}
export interface SheetCellProblem {
	readonly positionId: string;
	readonly field: string;
	readonly message: string;
}
