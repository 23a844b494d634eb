import { error } from '@sveltejs/kit';
import * as v from 'valibot';
import { shownLearnt } from '$core/takeon';
import { counted } from '$core/text';
import { done, refuse } from '$lib/server/act';
import { database } from '$lib/server/database';
import { formAction } from '$lib/server/forms';
import { decodeText } from '$lib/server/list-file';
import { demand } from '$lib/server/people';
import { allRoles, profilesFollowedAt, renderingModels } from '$lib/server/profile';
import {
	addConfigurations,
	addProfiles,
	addUnits,
	addWayIn,
	choiceSchema,
	choose,
	controlOf,
	endOldWay,
	endTakeOn,
	givePlaces,
	groupSchema,
	groupsOfTakeOn,
	leaveOut,
	makeProfile,
	modelSchema,
	OLD_WAY_DAYS,
	ownUnitsSchema,
	profileSchema,
	profilesSchema,
	rollOutDue,
	sayModel,
	stageSchema,
	takeOnById,
	takeOnNowSchema,
	takeOnPlacesSchema,
	takeOnUnitsSchema,
	takeStage,
	takeUnitsOn,
	undoChoice,
	unitsOfTakeOn,
	usualTimeZone,
	wayInSchema,
	withoutWayIn,
	type Brought
} from '$lib/server/takeon';
import type { Actions, PageServerLoad } from './$types';

export const load: PageServerLoad = async ({ params, url, locals, depends }) => {
	demand(locals, 'see renderings');
	depends('limen:live');
	const takeOn = await takeOnById(params.id);
	if (!takeOn) error(404, 'There is no such take-on.');
	const [units, groups, models, roles, timeZone, controlled, followed] = await Promise.all([
		unitsOfTakeOn(takeOn.id),
		groupsOfTakeOn(takeOn.id),
		renderingModels(database()),
		allRoles(),
		usualTimeZone(takeOn.customerId),
		controlOf(takeOn.id),
		profilesFollowedAt(takeOn.customerId)
	]);
	const wanted = Number(url.searchParams.get('group') ?? 1) - 1;
	const chosen = groups[wanted] ?? groups[0];
	return {
		takeOn,
		units,
		models: [...models.values()].map(({ id, name }) => ({ value: id, name })),
		roles: roles.map(({ id, name }) => ({
			value: id,
			name,
			models: [...models.values()].filter(({ roles: own }) => own.includes(id)).map((model) => model.id)
		})),
		timeZone,
		controlled,
		followed,
		withoutWayIn: await withoutWayIn(controlled),
		oldWayDays: OLD_WAY_DAYS,
		groups: groups.map(({ result, choices, ...group }) => ({
			...group,
			choices: choices.length,
			holds: result?.proofs.filter(({ holds }) => holds).length ?? 0
		})),
		chosen: chosen?.result
			? { id: chosen.id, choices: chosen.choices, learnt: shownLearnt(chosen.result) }
			: null
	};
};

const MOST_FILES = 1_000;
const file = v.instance(File, 'Choose files first.');
const broughtSchema = v.object({
	name: v.optional(v.pipe(v.string(), v.trim(), v.maxLength(120)), ''),
	text: v.optional(v.string(), ''),
	model: v.optional(v.pipe(v.string(), v.maxLength(60)), ''),
	file: v.optional(
		v.pipe(
			v.union([
				v.array(file),
				v.pipe(
					file,
					v.transform((one) => [one])
				)
			]),
			v.maxLength(MOST_FILES, 'At most 1,000 files at once.')
		),
		[]
	)
});

/** What somebody pasted, and each file under its name. */
async function broughtIn({ name, text, model, file: files }: v.InferOutput<typeof broughtSchema>) {
	const modelId = model || null;
	const brought: Brought[] = text.trim() === '' ? [] : [{ name: name || 'pasted', text, modelId }];
	for (const one of files) {
		if (one.size === 0) continue;
		const read = decodeText(new Uint8Array(await one.arrayBuffer()));
		if (!read.ok) return refuse(`“${one.name}” is no text. Nothing was added.`);
		brought.push({ name: one.name.split(/[\\/]/).at(-1)!, text: read.text, modelId });
	}
	return brought.length === 0
		? refuse('Paste a configuration or choose files first.')
		: ({ ok: true, done: brought } as const);
}

const nothing = v.object({});
const thisOne = (event: { readonly params: Partial<Record<string, string>> }): string => event.params.id!;

export const actions: Actions = {
	bring: formAction(broughtSchema, {
		act: async (given, actor, event) => {
			const brought = await broughtIn(given);
			return brought.ok ? addConfigurations(thisOne(event), brought.done, actor) : brought;
		},
		said: ({ added }) => `${counted(added, 'configuration')} added; it is being learnt.`
	}),
	units: formAction(ownUnitsSchema, {
		act: (given, actor, event) => addUnits(thisOne(event), given, actor),
		said: ({ added }) => `${counted(added, 'unit')} added; it is being learnt.`
	}),
	profiles: formAction(profilesSchema, {
		act: (given, actor, event) => addProfiles(thisOne(event), given, actor),
		said: ({ added, left }) =>
			`${counted(added, 'position')} added; what ${added === 1 ? 'it is' : 'they are'} given is being learnt.${left > 0 ? ` ${counted(left, 'position')} cannot be computed and ${left === 1 ? 'was' : 'were'} left out.` : ''}`
	}),
	leave: formAction(takeOnUnitsSchema, {
		act: (given, actor, event) => leaveOut(thisOne(event), given, actor),
		said: ({ count }) => `${counted(count, 'unit')} left out.`
	}),
	model: formAction(modelSchema, {
		act: (given, actor, event) => sayModel(thisOne(event), given, actor),
		said: 'It is being learnt anew.'
	}),
	choose: formAction(choiceSchema, {
		act: (given, actor, event) => choose(thisOne(event), given, actor),
		said: 'It is being proved anew.'
	}),
	undo: formAction(groupSchema, {
		act: (given, actor, event) => undoChoice(thisOne(event), given, actor),
		said: 'The last change is taken back.'
	}),
	profile: formAction(profileSchema, {
		act: (given, actor, event) => makeProfile(thisOne(event), given, actor),
		goes: ({ profileId }) => `/profiles/${profileId}/release`
	}),
	places: formAction(takeOnPlacesSchema, {
		act: (given, actor, event) => givePlaces(thisOne(event), given, actor),
		said: ({ count }) =>
			count === 0 ? 'Nothing was changed.' : `${counted(count, 'place')} kept; it is being learnt anew.`
	}),
	takeOn: formAction(takeOnNowSchema, {
		act: (given, actor, event) => takeUnitsOn(thisOne(event), given, actor),
		said: ({ count }) =>
			`${counted(count, 'unit')} ${count === 1 ? 'is' : 'are'} being brought into the plan; the bar above says how far that is.`
	}),
	stage: formAction(stageSchema, {
		act: (given, actor, event) => takeStage(thisOne(event), given, actor),
		said: ({ count }) => `Kept for ${counted(count, 'unit')}.`
	}),
	wayIn: formAction(wayInSchema, {
		act: async (given, actor, event) => {
			const added = await addWayIn(thisOne(event), given, actor);
			return added.ok ? done(given) : added;
		},
		goes: ({ profile }) => `/profiles/${profile}/release`
	}),
	rollOut: formAction(nothing, {
		act: (_given, actor, event) => rollOutDue(thisOne(event), actor),
		goes: ({ id }) => `/arrivals/rollouts/${id}`
	}),
	endOldWay: formAction(nothing, {
		act: (_given, actor, event) => endOldWay(thisOne(event), actor),
		said: ({ count }) =>
			`${counted(count, 'unit')} ${count === 1 ? 'is' : 'are'} reached at no address any more.`
	}),
	end: formAction(nothing, {
		act: (_given, actor, event) => endTakeOn(thisOne(event), actor),
		said: 'It is over. What is part of the plan stays there.'
	})
};
