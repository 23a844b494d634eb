import type { Field } from '$core/profile';

export type SheetTarget = 'customer' | 'site' | 'position';

export interface SheetColumn {
	readonly field: Field;
	readonly target: SheetTarget;
	readonly secret: boolean;
}
export interface SheetRow {
	readonly positionId: string;
	readonly position: string;
	readonly siteId: string;
	readonly site: string;
	readonly customerId: string;
	readonly customer: string;
	readonly cells: readonly string[];
	readonly instead: readonly string[];
	/** From what a given cell differs, or what counts instead of it. */
	readonly differs: readonly string[];
}

/** What holds a column's value in a row: cells with the same holder are one. */
export const holderOf = (
	row: Pick<SheetRow, 'customerId' | 'siteId' | 'positionId'>,
	target: SheetTarget
): string => row[`${target}Id`];
/** A cell's key among those that were edited. */
export const cellKey = (
	row: Pick<SheetRow, 'customerId' | 'siteId' | 'positionId'>,
	{ field, target }: SheetColumn
): string => `${holderOf(row, target)} ${field.name}`;
export interface SheetCellProblem {
	readonly positionId: string;
	readonly field: string;
	readonly message: string;
}
