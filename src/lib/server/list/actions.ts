import { fail, type RequestEvent } from '@sveltejs/kit';
import * as v from 'valibot';
import { actorOf } from '../people';
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

export const saveViewAction = (list: ListName) => async (event: RequestEvent) => {
	const parsed = v.safeParse(saveSchema, Object.fromEntries(await event.request.formData()));
	if (!parsed.success) return fail(400, { problem: parsed.issues[0].message });
	const { name, query } = parsed.output;
	const act = await saveView(list, name, query, actorOf(event));
	return act.ok ? { said: `“${name}” is kept.` } : fail(409, { problem: act.problem });
};

export const dropViewAction = async (event: RequestEvent) => {
	const id = v.safeParse(v.pipe(v.string(), v.uuid()), (await event.request.formData()).get('view'));
	if (!id.success) return fail(400, { problem: 'Which view?' });
	const act = await dropView(id.output, actorOf(event));
	return act.ok ? { said: 'The view is dropped.' } : fail(409, { problem: act.problem });
};

/** How many things one act from a list is about at most. */
export const MOST_CHOSEN = 2000;
const idsSchema = v.array(v.pipe(v.string(), v.uuid()));

/**
 * What a form's act is about: the things that it names under `name`, or, when it holds `all`, everything
 * that the list with that address has. Null when it cannot be understood, or names nothing.
 */
export async function chosenIn(
	form: FormData,
	name: string,
	everything: (address: string) => Promise<readonly string[]>
): Promise<readonly string[] | null> {
	const all = form.get('all');
	if (typeof all === 'string') return everything(all.slice(0, 2000));
	const ids = v.safeParse(idsSchema, form.getAll(name));
	return ids.success && ids.output.length > 0 ? ids.output : null;
}

/** Where a window of a list begins, as its address says. */
export const offsetIn = (url: URL): number => {
	const offset = Number(url.searchParams.get('offset'));
	return Number.isSafeInteger(offset) && offset >= 0 && offset < 10_000_000 ? offset : 0;
};
