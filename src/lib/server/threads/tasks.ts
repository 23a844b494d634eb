import { readXlsx } from '../xlsx/read';

/**
 * What is worked off the main thread: pure computations whose time or memory somebody outside could drive
 * up. Each takes and gives plain data.
 */
export const TASKS = { readXlsx } as const;

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
