import type { Knex } from 'knex';
import * as v from 'valibot';
import { learntChoiceSchema, type LearntChoice } from '../../../core/takeon';
import { done, refuse, type Act } from '../act';
import { changing, TakenBack } from '../change';
import { oneId } from '../forms';
import { enterInLedger, type Actor } from '../ledger';
import { notify } from '../live';
import {
	addPartsIn,
	createPartIn,
	createProfileIn,
	EMPTY_DRAFT,
	jsonText,
	partWords,
	profileWords,
	releasePartIn,
	thingName
} from '../profile';
import { aboutTakeOn, openTakeOn, orderLearning } from './collect';
import { groupsOfTakeOn, type TakeOn, type TakeOnGroup } from './store';

const MOST_CHOICES = 500;
/** A part has no more. */
const MOST_FIELDS = 200;
const group = oneId('Which group is it?');

export const choiceSchema = v.object({
	group,
	choice: v.pipe(jsonText, learntChoiceSchema)
});

/** A group whose profile is not made yet, of a take-on that whoever acts may change. */
async function openGroup(
	trx: Parameters<typeof openTakeOn>[0],
	id: string,
	groupId: string,
	actor: Actor
): Promise<Act<{ readonly takeOn: TakeOn; readonly own: TakeOnGroup }>> {
	const opened = await openTakeOn(trx, id, actor);
	if (!opened.ok) return opened;
	const own = (await groupsOfTakeOn(id, trx)).find((one) => one.id === groupId);
	if (!own) return refuse('There is no such group any more. Look again.');
	if (own.profileId !== null) return refuse(`Its profile “${own.profile}” is made already: change it there.`);
	return done({ takeOn: opened.done, own });
}

/** Wants something otherwise in what was learnt; it is proved anew with it. */
export const choose = (id: string, given: v.InferOutput<typeof choiceSchema>, actor: Actor): Promise<Act> =>
	changed(
		id,
		given.group,
		async (choices, trx) => [...choices, await ofAnyRevision(given.choice, trx)],
		actor
	);

/** A part stays written out when it is released anew. */
async function ofAnyRevision(choice: LearntChoice, trx: Knex): Promise<LearntChoice> {
	if (choice.kind !== 'write out') return choice;
	const revision = await trx('part_revision').where({ id: choice.part }).first('part_id');
	return { ...choice, part: revision?.part_id ?? choice.part };
}

export const groupSchema = v.object({ group });

/** Takes the last choice of a group back. */
export const undoChoice = (
	id: string,
	given: v.InferOutput<typeof groupSchema>,
	actor: Actor
): Promise<Act> => changed(id, given.group, async (choices) => choices.slice(0, -1), actor);

const changed = (
	id: string,
	groupId: string,
	change: (choices: readonly LearntChoice[], trx: Knex) => Promise<readonly LearntChoice[]>,
	actor: Actor
): Promise<Act> =>
	changing(async (trx) => {
		const opened = await openGroup(trx, id, groupId, actor);
		if (!opened.ok) return opened;
		const { takeOn, own } = opened.done;
		const choices = await change(own.choices, trx);
		if (choices.length > MOST_CHOICES)
			return refuse('That is too much to be changed here. Make the profile first.');
		await trx('take_on_group')
			.where({ id: groupId })
			.update({ choices: JSON.stringify(choices) });
		await orderLearning(trx, takeOn);
		return done(undefined);
	});

export const profileSchema = v.object({
	group,
	name: thingName,
	role: v.pipe(v.string(), v.maxLength(40))
});

const FIRST = 'Learnt from what units run';

/**
 * Makes the profile of a group: a part of its own, which nobody else sees, and a draft with it. Engineers may. The part is
 * released at once unless the firm wants two people for that; the profile is released like any other, after looking at it.
 * Refused while it is being learnt.
 */
export const makeProfile = (
	id: string,
	{ group: groupId, name, role }: v.InferOutput<typeof profileSchema>,
	actor: Actor
): Promise<Act<{ readonly profileId: string }>> =>
	changing(
		async (trx) => {
			const opened = await openGroup(trx, id, groupId, actor);
			if (!opened.ok) return opened;
			const { takeOn, own } = opened.done;
			if (!own.result || takeOn.learnt !== takeOn.wanted)
				return refuse('It is still being learnt. Wait for it, and look at it first.');
			const { text, fields, parts, shared } = own.result;
			if (fields.length > MOST_FIELDS)
				return refuse(
					`It has ${fields.length} fields; a part has ${MOST_FIELDS} at most. Make some constant, or learn from fewer units.`
				);
			const draft = { ...EMPTY_DRAFT, parts: parts.map((part) => part.id), values: shared };
			const profile = await createProfileIn(trx, { name, role, draft }, actor);
			if (!profile.ok) return profile;
			if (text.trim() !== '') {
				const part = await createPartIn(
					trx,
					{
						name,
						summary: `Learnt in take-on “${takeOn.name}”.`.slice(0, 500),
						texts: { [own.dialect]: text },
						fields,
						onlyFor: profile.done.id
					},
					actor
				);
				if (!part.ok) throw new TakenBack(part);
				await addPartsIn(trx, profile.done.id, [part.done.revisionId]);
				await releasePartIn(trx, part.done.id, 1, FIRST, actor);
			}
			await trx('take_on_group').where({ id: groupId }).update({ profile_id: profile.done.id });
			await enterInLedger(trx, actor, [
				aboutTakeOn(takeOn, `Profile “${name}” made in take-on “${takeOn.name}”.`)
			]);
			await notify(trx, 'take-ons', takeOn.customerId, [id]);
			return done({ profileId: profile.done.id });
		},
		{ ...profileWords(name), ...partWords(name) },
		'There is no such role.'
	);
