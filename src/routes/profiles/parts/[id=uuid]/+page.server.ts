import { error } from '@sveltejs/kit';
import * as v from 'valibot';
import { fieldsSchema } from '$core/profile';
import { editNumber, formAction } from '$lib/server/forms';
import { demand } from '$lib/server/people';
import {
	dropPartDraft,
	partById,
	putIntoLibrary,
	releasePart,
	retirePart,
	revisionsOfPart,
	savePart,
	usesOfPart,
	draftTextsSchema,
	jsonText
} from '$lib/server/profile';
import type { Actions, PageServerLoad } from './$types';

export const load: PageServerLoad = async ({ params, url, locals, depends }) => {
	demand(locals, 'see profiles');
	depends('limen:live');
	const [part, revisions, uses] = await Promise.all([
		partById(params.id),
		revisionsOfPart(params.id),
		usesOfPart(params.id)
	]);
	if (!part) error(404, 'There is no such part.');
	const number = Number(url.searchParams.get('revision'));
	const chosen = revisions.find((revision) => revision.number === number) ?? revisions[0]!;
	// The line that units refuse, where a failure led here
	const line = Math.floor(Number(url.searchParams.get('line'))) || null;
	return { part, revisions, uses, chosen, line, dialect: url.searchParams.get('dialect') };
};

const why = v.pipe(
	v.string('Say why; a few words are enough.'),
	v.trim(),
	v.minLength(1, 'Say why; a few words are enough.'),
	v.maxLength(2000, 'The reason has at most 2,000 characters.')
);
const draftSchema = v.pipe(jsonText, v.object({ texts: draftTextsSchema, fields: fieldsSchema }));

/** Which of the part's fields is wrong, by its name where it has one. */
function wrongField({ path, message }: v.BaseIssue<unknown>): string {
	const place = path?.[2]?.key;
	const name = (path?.[2]?.value as { name?: string } | undefined)?.name;
	return `${name ? `Field “${name}”: ` : typeof place === 'number' ? `Field ${place + 1}: ` : ''}${message}`;
}

export const actions: Actions = {
	save: formAction(v.object({ edit: editNumber, draft: draftSchema }), {
		act: ({ edit, draft }, actor, event) => savePart(event.params.id!, edit, draft, actor),
		said: ({ edit }) => ({ said: 'The draft is saved.', edit }),
		misread: wrongField,
		refused: ({ theirs }) => ({ theirs: theirs ?? null })
	}),
	library: formAction(v.object({}), {
		act: (_given, actor, event) => putIntoLibrary(event.params.id!, actor),
		said: 'It is in the library.'
	}),
	release: formAction(v.object({ edit: editNumber, why }), {
		act: ({ edit, why }, actor, event) => releasePart(event.params.id!, edit, why, actor),
		said: 'Released. Profiles take it up when somebody chooses it there.'
	}),
	drop: formAction(v.object({ edit: editNumber }), {
		act: ({ edit }, actor, event) => dropPartDraft(event.params.id!, edit, actor),
		said: 'The draft is gone.'
	}),
	retire: formAction(v.object({}), {
		act: (_, actor, event) => retirePart(event.params.id!, actor),
		goes: () => '/profiles#parts'
	})
};
