/** A computation that the threads know by name (worker.ts): what it takes and gives is plain data. */
export interface Task<Input, Output> {
	readonly name: string;
	/** Never there: it only carries the types. */
	readonly work?: (input: Input) => Output;
}
export const task = <Input, Output>(name: string): Task<Input, Output> => ({ name });

export interface Asked {
	readonly id: number;
	readonly name: string;
	readonly input: unknown;
}
export type Answered =
	| { readonly id: number; readonly ok: true; readonly output: unknown }
	| { readonly id: number; readonly ok: false; readonly message: string };

/** What a thread says of itself once it has read its program. */
export const READY = 'ready';
