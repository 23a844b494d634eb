/** The outcome of an act that a person can get wrong: what was done, or one sentence why it was not. */
export type Act<Done = undefined> =
	{ readonly ok: true; readonly done: Done } | { readonly ok: false; readonly problem: string };

export const done = <Done>(what: Done): Act<Done> => ({ ok: true, done: what });
export const refuse = (problem: string): { readonly ok: false; readonly problem: string } => ({
	ok: false,
	problem
});
