/** The context in which a form's fields find what is wrong with them. */
export const FORM = Symbol('form');

export interface FormState {
	/** A field says that it is there: its problem is shown beside it and not at the top of the form. */
	readonly has: (name: string) => void;
	readonly problemOf: (name: string) => string | null;
	/** What was typed into a field before the page was made anew, by a form that was sent without scripts. */
	readonly typedBefore: (name: string) => string | undefined;
}
