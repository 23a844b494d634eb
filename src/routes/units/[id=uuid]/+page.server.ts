import { error } from '@sveltejs/kit';
import * as v from 'valibot';
import { QUESTION_IDS } from '$core/watch';
import { formAction, oneId } from '$lib/server/forms';
import { correctClaimCode, giveUp, predecessorsOf, unitById } from '$lib/server/intake';
import { maySee } from '$lib/server/people';
import { boundUnit, restartUnit } from '$lib/server/send';
import { storyOf } from '$lib/server/story';
import { adviceOn, arrivalAt, lastServed } from '$lib/server/runs';
import {
	bindUnit,
	retryRun,
	returnToService,
	unbindUnit,
	withWarnings,
	bindAction,
	retryAction,
	unbindAction
} from '$lib/server/binding';
import {
	answerQuestion,
	askAnew,
	diagnosisOf,
	settleDiagnosis,
	stepsOfRun,
	whatHelped,
	withEnds
} from '$lib/server/watch';
import { connectionOf } from '$lib/server/connections';
import { driftOf } from '$lib/server/drift';
import { hidingAtPosition } from '$lib/server/profile';
import { openPositionsFor } from '$lib/server/plan';
import { voucherOf } from '$lib/server/trust';
import { disruptionAt } from '$lib/server/windows';
import { retireUnit } from '$lib/server/retirement';
import type { Actions, PageServerLoad } from './$types';

export const load: PageServerLoad = async ({ params, url, depends, locals }) => {
	depends('limen:live');
	const unit = await unitById(params.id);
	if (!unit) error(404, 'There is no such unit.');
	const seesConfiguration = maySee(locals, 'see renderings', unit.customerId);
	const [story, connection, served, [arrival = null], open, predecessors, drift, voucher] = await Promise.all(
		[
			storyOf(unit.id, { records: maySee(locals, 'see records', unit.customerId) }),
			connectionOf(unit.id),
			seesConfiguration ? lastServed(unit.id) : undefined,
			unit.positionId
				? arrivalAt(unit.positionId).then((one) => withEnds(one ? [one] : []))
				: Promise.resolve([]),
			unit.positionId ? Promise.resolve([]) : openPositionsFor(unit.id),
			predecessorsOf(unit.id),
			seesConfiguration ? driftOf(unit.id) : undefined,
			voucherOf(unit.id)
		]
	);
	return {
		unit,
		arrival,
		// What was done after failures like its own, the best first
		helped: arrival?.signatureId
			? ((await whatHelped([arrival.signatureId])).get(arrival.signatureId) ?? [])
			: [],
		diagnosis: arrival && maySee(locals, 'bind', unit.customerId) ? await diagnosisOf(arrival.runId) : null,
		steps: arrival ? await stepsOfRun(arrival.runId) : [],
		story,
		connection: connection ?? null,
		open: await withWarnings(open, ({ id }) => ({ unitId: unit.id, positionId: id })),
		// The position whose card was scanned after this unit's label
		wanted: open.find(({ id }) => id === url.searchParams.get('to'))?.id ?? null,
		predecessors,
		voucher,
		drift: drift ?? null,
		served: served
			? { ...served, rendering: (await hidingAtPosition(served.positionId))(served.rendering) }
			: null,
		advice: arrival && adviceOn(arrival)
	};
};

const answerSchema = v.object({
	run: oneId('Which unit?'),
	question: v.picklist(QUESTION_IDS, 'Which question?'),
	answer: v.pipe(v.string('Choose one of the answers.'), v.maxLength(40))
});

export const actions: Actions = {
	bind: bindAction(bindUnit),
	unbind: unbindAction(unbindUnit),
	retry: retryAction(retryRun),
	service: formAction(v.object({}), {
		act: (_, actor, event) => returnToService(event.params.id!, actor),
		said: 'It can be bound again.'
	}),
	answer: formAction(answerSchema, {
		act: ({ run, ...given }, actor) => answerQuestion(run, given, actor),
		said: 'Noted.'
	}),
	askAnew: formAction(v.object({ run: oneId('Which unit?') }), {
		act: ({ run }, actor) => askAnew(run, actor),
		said: 'The questions start again.'
	}),
	settle: formAction(v.object({ run: oneId('Which unit?'), cause: v.pipe(v.string(), v.maxLength(60)) }), {
		act: ({ run, cause }, actor) => settleDiagnosis(run, cause, actor),
		said: 'Noted: it counts for the next unit.'
	}),
	restart: formAction(v.object({ asked: v.optional(v.literal('on')) }), {
		ask: async (_, actor, event) => {
			const unit = await boundUnit(event.params.id!);
			if (!unit || !actor.may('send', unit.customerId)) return null;
			const { words, whom } = await disruptionAt(unit.siteId);
			return {
				words: `${unit.serial} at ${unit.positionName} restarts: what hangs on it has no network until it is back.${words}`,
				whom,
				sites: [unit.siteName],
				wantsReason: true
			};
		},
		act: ({ asked }, actor, event) => restartUnit(event.params.id!, asked === 'on', actor),
		said: 'It is told to restart. It comes back by itself.'
	}),
	giveUp: formAction(v.object({}), {
		ask: async (_, actor, event) => {
			const unit = await unitById(event.params.id!);
			if (!unit || !actor.may('claim', unit.customerId)) return null;
			return {
				words: `${unit.serial} is given up: ${unit.makerName}’s registry releases it, and whoever has it can claim it. What is known of it here stays.`,
				sites: []
			};
		},
		act: (_, actor, event) => giveUp(event.params.id!, actor),
		said: 'It is given up.'
	}),
	retire: formAction(v.object({}), {
		ask: async (_, actor, event) => {
			const unit = await unitById(event.params.id!);
			if (!unit || unit.positionId || !actor.may('claim', unit.customerId)) return null;
			return {
				words: `${unit.serial} is retired: it is in no list and count any more. What is known of it is kept for ${unit.customerName}’s term and found under Retired units.`,
				sites: [],
				wantsReason: true
			};
		},
		act: (_, actor, event) => retireUnit(event.params.id!, actor),
		goes: (_, __, event) => `/units/retired/${event.params.id}`
	}),
	code: formAction(v.object({ code: v.string('Type the claim code.') }), {
		act: ({ code }, actor, event) => correctClaimCode(event.params.id!, code, actor),
		said: 'Corrected. Its next call is checked against the new code.'
	})
};
