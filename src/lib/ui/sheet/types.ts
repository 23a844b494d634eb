import type { SheetColumn, SheetRow, SheetTarget } from '$lib/server/plan';
export type { SheetColumn, SheetRow, SheetTarget };

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
