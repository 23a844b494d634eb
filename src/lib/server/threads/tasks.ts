import { alignConfigs } from '../../../core/config';
import { judgeProof } from '../../../core/onboarding';
import { checkPiece, coverageOf } from '../../../core/profile';
import { renderPosition } from '../profile/renderings';
import { readXlsx } from '../xlsx/read';

/**
 * What is worked off the main thread: pure computations whose time or memory somebody outside could drive
 * up. Each takes and gives plain data.
 */
export const TASKS = {
	readXlsx,
	renderPosition,
	renderPositions: (sources: readonly Parameters<typeof renderPosition>[0][]) => sources.map(renderPosition),
	judgeProof,
	alignConfigs,
	checkPieces: (pieces: readonly Parameters<typeof checkPiece>[0][]) => pieces.map(checkPiece),
	coverageOf: (given: Parameters<typeof coverageOf>) => coverageOf(...given)
} as const;

export type Tasks = typeof TASKS;
export type Task = keyof Tasks;
export interface Asked {
	readonly id: number;
	readonly task: Task;
	readonly input: unknown;
}
export type Answered =
	| { readonly id: number; readonly ok: true; readonly output: unknown }
	| { readonly id: number; readonly ok: false; readonly message: string };
