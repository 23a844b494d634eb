import * as v from 'valibot';
import { formAction, manyIds, oneId } from '../forms';
import { dropView, saveView, type ListName } from './views';

/** Form actions about the views of a list, the same on every list's page. */
const saveSchema = v.object({
	name: v.pipe(
		v.string('Give the view a name.'),
		v.trim(),
		v.minLength(1, 'Give the view a name.'),
		v.maxLength(60, 'A view’s name has at most 60 characters.')
	),
	query: v.pipe(v.string(), v.maxLength(2000))
});

export const saveViewAction = (list: ListName) =>
	formAction(saveSchema, {
		act: ({ name, query }, actor) => saveView(list, name, query, actor),
		said: (_, { name }) => `“${name}” is kept.`
	});

export const dropViewAction = formAction(v.object({ view: oneId('Which view?') }), {
	act: ({ view }, actor) => dropView(view, actor),
	said: 'The view is removed.'
});

/** How many things one act from a list is about at most. */
export const MOST_CHOSEN = 2000;

/**
 * What a form's act is about: the things that it names in one field, or, when it holds `all`, everything
 * that the list with that address has.
 */
export const chosenSchema = (name: string, missing: string) =>
	v.union(
		[
			v.pipe(
				v.object({ all: v.pipe(v.string(), v.maxLength(2000)) }),
				v.transform(({ all }): Chosen => ({ everythingAt: all }))
			),
			v.pipe(
				// How many are too many is said by the act, which also counts everything that a list has
				v.object({ [name]: manyIds(missing, Infinity) }),
				v.transform((fields): Chosen => ({ ids: fields[name]! }))
			)
		],
		missing
	);
type Chosen = { readonly everythingAt: string } | { readonly ids: readonly string[] };

export const chosenIn = async (
	chosen: Chosen,
	everything: (address: string) => Promise<readonly string[]>
): Promise<readonly string[]> => ('ids' in chosen ? chosen.ids : everything(chosen.everythingAt));

/** Where a window of a list begins, as its address says. */
export const offsetIn = (url: URL): number => {
	const offset = Number(url.searchParams.get('offset'));
	return Number.isSafeInteger(offset) && offset >= 0 && offset < 10_000_000 ? offset : 0;
};
