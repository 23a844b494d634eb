/** An act that was not done, and one sentence why. */
export interface Refusal {
	readonly ok: false;
	readonly problem: string;
	/** Whoever asked may do it all the same when they say why. */
	readonly wantsReason?: boolean;
}
/** The outcome of an act that a person can get wrong. */
export type Act<Done = undefined> = { readonly ok: true; readonly done: Done } | Refusal;

export const done = <Done>(what: Done): Act<Done> => ({ ok: true, done: what });
export const refuse = (problem: string): Refusal => ({ ok: false, problem });
export const refuseWithoutReason = (problem: string): Refusal => ({ ok: false, problem, wantsReason: true });
