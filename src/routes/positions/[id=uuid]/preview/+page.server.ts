import { error } from '@sveltejs/kit';
import * as v from 'valibot';
import { database } from '$lib/server/database';
import { formAction } from '$lib/server/forms';
import { lastServed } from '$lib/server/runs';
import { readRunning } from '$lib/server/proof';
import { revealAction } from '$lib/server/binding';
import { maySee, demand } from '$lib/server/people';
import { positionsFollowing } from '$lib/server/plan';
import {
	maskedAlike,
	hidingAt,
	previewOf,
	renderingModels,
	renderingSources,
	alignedTexts,
	revealSecret,
	revisionsOf,
	ownTextOf,
	removeOwn,
	renderApart,
	type RenderingSource
} from '$lib/server/profile';
import type { Actions, PageServerLoad } from './$types';

const id = v.pipe(v.string(), v.uuid());
const GONE = 'There is no such position.';

/** A text to compare with; null with the reason why there is none. */
interface Other {
	readonly text: string | null;
	readonly words: string;
	/** What it is compared with, when that is not the rendering as it stands. */
	readonly against?: string;
}

export const load: PageServerLoad = async ({ params, url, locals, depends }) => {
	depends('limen:live');
	const positionId = params.id;
	const first = (await renderingSources(database(), [positionId])).get(positionId);
	// Of another customer's position nothing is told, not even that it is there
	if (!first || !maySee(locals, 'see renderings', first.customerId)) error(404, GONE);
	const revisions = await revisionsOf(first.profileId);
	const draft = revisions.find(({ state }) => state === 'draft');
	const number = Number(url.searchParams.get('revision'));
	const chosen =
		revisions.find((revision) => revision.number === number) ??
		(url.searchParams.has('draft') ? draft : undefined);
	const models = [...(await renderingModels(database())).values()];
	const model = models.find((one) => one.id === url.searchParams.get('model'));
	const source = chosen || model ? await sourceAt(positionId, first, chosen?.id, model?.id) : first;
	const [preview, other] = await Promise.all([previewOf(source), otherText(url, source, revisions)]);
	return {
		site: { id: source.siteId, name: source.siteName },
		position: { id: positionId, name: source.positionName, customerId: source.customerId },
		preview,
		text: preview.text,
		other,
		own: await ownTextOf(positionId),
		revisions,
		chosenNumber: source.revision?.number ?? null,
		following: await positionsFollowing(source.profileId, positionId),
		models: models
			.filter(({ dialect }) => source.revision?.parts.every(({ texts }) => texts[dialect] !== undefined))
			.map(({ id, name }) => ({ id, name }))
	};
};

const sourceAt = async (
	positionId: string,
	{ profileId }: RenderingSource,
	revisionId: string | undefined,
	modelId: string | undefined
): Promise<RenderingSource> =>
	(
		await renderingSources(database(), [positionId], {
			...(revisionId && { revisions: new Map([[profileId, revisionId]]) }),
			modelId: modelId ?? null
		})
	).get(positionId)!;

const textOf = async (source: RenderingSource): Promise<string> => (await previewOf(source)).text;

async function otherText(
	url: URL,
	source: RenderingSource,
	revisions: Awaited<ReturnType<typeof revisionsOf>>
): Promise<Other | null> {
	const [kind, given] = (url.searchParams.get('with') ?? 'sent').split(':');
	const unit = await database()('binding').where({ position_id: source.positionId }).first('unit_id as id');
	if (kind === 'revision') {
		const revision = revisions.find(({ number }) => number === Number(given));
		if (!revision) return { text: null, words: 'There is no such revision.' };
		const then = await sourceAt(source.positionId, source, revision.id, source.model?.id);
		return { text: await textOf(then), words: `revision ${revision.number}` };
	}
	if (kind === 'position') {
		const other = v.is(id, given) ? (await renderingSources(database(), [given])).get(given) : undefined;
		return other && other.customerId === source.customerId
			? { text: await textOf(other), words: `${other.siteName} ${other.positionName}` }
			: { text: null, words: GONE };
	}
	if (kind === 'running') {
		if (!unit) return { text: null, words: 'No unit is bound here.' };
		const running = await readRunning(unit.id);
		return running === null
			? { text: null, words: 'The unit is not connected at this moment, so what it runs cannot be read.' }
			: besideRunning(source, running.content);
	}
	const sent = unit && (await lastServed(unit.id));
	return sent
		? { ...(await maskedAlike(source, sent.rendering)), words: 'what was last sent' }
		: { text: null, words: 'Nothing was sent to a unit here yet.' };
}

/** What runs and what is intended, in the same order: a unit prints in an order of its own. */
async function besideRunning(source: RenderingSource, running: string): Promise<Other> {
	const words = 'what runs on the unit';
	const rendering = await renderApart(source);
	const { dialect, rules } = source.model!;
	const aligned = rendering.ok
		? await alignedTexts(source, { running, intended: rendering.text, dialect, rules })
		: null;
	return aligned === null
		? { text: (await hidingAt(source))(running), words }
		: { text: aligned.running, words, against: aligned.intended };
}

const removeSchema = v.object({
	index: v.pipe(v.string(), v.regex(/^\d{1,4}$/), v.transform(Number)),
	words: v.pipe(v.string(), v.maxLength(20_000))
});

export const actions: Actions = {
	removeOwn: formAction(removeSchema, {
		act: ({ index, words }, actor, { params }) => removeOwn(params.id!, index, words, actor),
		said: 'It is gone: what the profile says counts there again. The unit is behind until it is sent it.'
	}),
	reveal: async (event) => {
		demand(event.locals, 'reveal secret');
		return revealAction(revealSecret)(event);
	}
};
