import { error } from '@sveltejs/kit';
import * as v from 'valibot';
import { fieldsSchema } from '$core/profile';
import { database } from '$lib/server/database';
import { formAction } from '$lib/server/forms';
import { lastServed } from '$lib/server/runs';
import { maySee, demand } from '$lib/server/people';
import {
	createPart,
	hidingAt,
	renderingSources,
	dialectSchema,
	draftTextSchema,
	jsonText,
	thingName
} from '$lib/server/profile';
import type { Actions, PageServerLoad } from './$types';

/** What to begin with: nothing, or what a unit that is right was last given, with its secrets masked. */
export const load: PageServerLoad = async ({ url, locals }) => {
	demand(locals, 'edit profiles');
	const id = v.safeParse(v.pipe(v.string(), v.uuid()), url.searchParams.get('position'));
	if (!id.success) return { text: '', dialect: null, from: null };
	const source = (await renderingSources(database(), [id.output])).get(id.output);
	if (!source || !maySee(locals, 'see renderings', source.customerId))
		error(404, 'There is no such position.');
	const unit = await database()('binding').where({ position_id: id.output }).first('unit_id as id');
	const sent = unit && (await lastServed(unit.id));
	return {
		text: sent ? (await hidingAt(source))(sent.rendering) : '',
		dialect: source.model?.dialect ?? null,
		from: `${source.positionName} at ${source.siteName}`
	};
};

const schema = v.object({
	name: thingName,
	summary: v.optional(v.pipe(v.string(), v.trim(), v.maxLength(500)), ''),
	dialect: dialectSchema,
	draft: v.pipe(
		jsonText,
		v.object({ text: draftTextSchema, fields: fieldsSchema }),
		v.check(({ text }) => text.trim() !== '', 'Paste a configuration first.')
	)
});

export const actions: Actions = {
	default: formAction(schema, {
		act: ({ name, summary, dialect, draft }, actor) =>
			createPart({ name, summary, texts: { [dialect]: draft.text }, fields: draft.fields }, actor),
		goes: ({ id }) => `/profiles/parts/${id}`
	})
};
