import { error } from '@sveltejs/kit';
import * as v from 'valibot';
import { database } from '$lib/server/database';
import { formAction } from '$lib/server/forms';
import { intakeModels } from '$lib/server/intake';
import { demand, maySee } from '$lib/server/people';
import {
	addressesOf,
	beginSurvey,
	besideThePlan,
	cancelSurvey,
	changesSince,
	draggedIn,
	dropSurvey,
	keepSpots,
	mapOfRun,
	runsOf,
	spotsSchema,
	surveyById,
	whereIs
} from '$lib/server/survey';
import { takeOnFound, takeOnFoundSchema } from '$lib/server/takeon';
import type { Actions, PageServerLoad } from './$types';

const MOST_RUNS = 10;
const MOST_ADDRESSES = 200;
const LONGEST_ASKED = 60;

export const load: PageServerLoad = async ({ params, locals, url, depends }) => {
	demand(locals, 'reach units');
	depends('limen:live');
	const survey = await surveyById(params.id);
	if (!survey || !maySee(locals, 'reach units', survey.customerId)) error(404, 'There is no such survey.');
	const [runs, models, dragged] = await Promise.all([
		runsOf(survey.id, MOST_RUNS),
		intakeModels(database()),
		draggedIn(survey.id)
	]);
	const [run] = runs;
	if (!run) error(404, 'This survey was never done.');
	const [map, addresses] = await Promise.all([mapOfRun(run.id), addressesOf(run.id, MOST_ADDRESSES)]);
	const asked = (url.searchParams.get('find') ?? '').trim().slice(0, LONGEST_ASKED);
	const [changes, beside, plugged] = await Promise.all([
		changesSince(runs, map),
		besideThePlan(run.id),
		asked === '' ? null : whereIs(run.id, asked, map)
	]);
	return {
		survey,
		run,
		map,
		addresses,
		changes,
		beside,
		dragged,
		asked,
		plugged,
		modelNames: Object.fromEntries(models.map(({ id, name }) => [id, name]))
	};
};

export const actions: Actions = {
	again: formAction(v.object({}), {
		of: 'reach units',
		act: (_given, actor, { params }) => beginSurvey(params.id!, actor),
		said: 'It has begun; what is found shows as it comes.'
	}),
	stop: formAction(v.object({}), {
		of: 'reach units',
		act: (_given, actor, { params }) => cancelSurvey(params.id!, actor),
		said: 'It is stopped. What was found so far stays.'
	}),
	drop: formAction(v.object({}), {
		of: 'reach units',
		act: (_given, actor, { params }) => dropSurvey(params.id!, actor),
		goes: () => '/addresses/surveys'
	}),
	spots: formAction(spotsSchema, {
		of: 'reach units',
		act: (given, actor, { params }) => keepSpots(params.id!, given, actor)
	}),
	takeOn: formAction(takeOnFoundSchema, {
		of: 'reach units',
		act: (given, actor, { params }) => takeOnFound(params.id!, given, actor),
		goes: ({ id }) => `/profiles/takeon/${id}`
	})
};
