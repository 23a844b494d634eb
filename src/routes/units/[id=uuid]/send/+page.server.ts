import { timeNow } from '$lib/server/database';
import { error } from '@sveltejs/kit';
import * as v from 'valibot';
import { sendHasEnded } from '$core/send';
import { connectionOf } from '$lib/server/connections';
import { formAction, oneId } from '$lib/server/forms';
import { unitById } from '$lib/server/intake';
import { demand } from '$lib/server/people';
import { beginSend, boundUnit, DUE, lookBeforeSending, sendsOf, type Wanted } from '$lib/server/send';
import { closedWords, disruptionAt, windowNow } from '$lib/server/windows';
import type { Actions, PageServerLoad } from './$types';

export const load: PageServerLoad = async ({ params, url, depends, locals }) => {
	depends('limen:live');
	const unit = await unitById(params.id);
	if (!unit) error(404, 'There is no such unit.');
	demand(locals, 'see renderings', unit.customerId);
	const [sends, bound, connection] = await Promise.all([
		sendsOf(unit.id),
		boundUnit(unit.id),
		connectionOf(unit.id)
	]);
	const underWay = sends.find(({ send }) => !sendHasEnded(send.state)) ?? null;
	return {
		unit,
		place: bound && { site: bound.siteName, position: bound.positionName, positionId: bound.positionId },
		isConnected: connection !== undefined && connection.endedAt === null,
		underWay,
		window: bound ? await windowShown(bound.siteId) : null,
		sends,
		// While one is under way nothing else is asked of the unit
		look: underWay ? null : await lookBeforeSending(unit.id, url.searchParams.has('anew'), wantedIn(url)),
		wanted: wantedIn(url)
	};
};

async function windowShown(siteId: string) {
	const now = await windowNow(siteId, timeNow());
	return { ...now, words: closedWords(now) };
}

const id = v.pipe(v.string(), v.uuid());
const wantedSchema = v.variant('what', [
	v.object({ what: v.picklist(['due', 'intended']) }),
	v.object({ what: v.literal('part'), finding: v.pipe(v.array(id), v.minLength(1), v.maxLength(300)) }),
	v.object({ what: v.literal('restore'), version: id })
]);
/** What is wanted, as the page's address says it; what makes no sense is what is due. */
function wantedIn({ searchParams }: URL): Wanted {
	const given = v.safeParse(wantedSchema, {
		what: searchParams.get('what'),
		finding: searchParams.getAll('finding'),
		version: searchParams.get('version')
	});
	if (!given.success) return DUE;
	const { output } = given;
	return output.what === 'part'
		? { kind: 'part', findings: output.finding }
		: output.what === 'restore'
			? { kind: 'restore', version: output.version }
			: { kind: output.what };
}

const sendSchema = v.object({
	reading: oneId('Look at what it runs first.'),
	fingerprint: v.pipe(v.string(), v.regex(/^[0-9a-f]{64}$/)),
	discards: v.optional(v.literal('on')),
	asked: v.optional(v.literal('on'))
});

export const actions: Actions = {
	send: formAction(sendSchema, {
		ask: async (_, actor, { params }) => {
			const unit = await boundUnit(params.id!);
			if (!unit || !actor.may('send', unit.customerId)) return null;
			const { words, whom } = await disruptionAt(unit.siteId);
			return {
				words: `The configuration of ${unit.positionName} is changed. Its connection is interrupted for a moment; if it does not come back, it goes back by itself.${words}`,
				whom,
				sites: [unit.siteName],
				wantsReason: true
			};
		},
		act: (given, actor, { params, url }) =>
			beginSend(
				params.id!,
				{
					...given,
					wanted: wantedIn(url),
					discards: given.discards === 'on',
					asked: given.asked === 'on'
				},
				actor
			),
		said: 'Taken up. It goes on by itself; you can leave this page.'
	})
};
