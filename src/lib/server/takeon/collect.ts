import type { Knex } from 'knex';
import * as v from 'valibot';
import { v7 as uuid } from 'uuid';
import { counted } from '../../../core/text';
import { done, refuse, type Act } from '../act';
import { changing } from '../change';
import { database, enqueue, timeNow } from '../database';
import { manyIds, oneId } from '../forms';
import { seal } from '../keys';
import { enterInLedger, type Actor, type LedgerAct } from '../ledger';
import { notify } from '../live';
import { takeOnById, type TakeOn } from './store';

/** What can be learnt from at once: a thread holds all of it. */
export const MOST_UNITS = 1_000;
const MOST_LINES = 20_000;
const LONGEST_TEXT = 1024 * 1024;
export const LEARN = 'learn from configurations';

const NOT_YOURS = 'Networks are taken on by engineers who plan for the customer.';
export const takeOnName = v.pipe(
	v.string('What is it called?'),
	v.trim(),
	v.minLength(1, 'What is it called?'),
	v.maxLength(120)
);
export const takeOnSchema = v.object({ customer: oneId('Whose network is it?'), name: takeOnName });

/** Only engineers who plan sites for the customer. */
export const mayNotTakeOn = (actor: Actor, customerId: string) =>
	actor.may('edit profiles', null) && actor.may('plan sites', customerId) ? null : refuse(NOT_YOURS);

export const aboutTakeOn = (
	{ id, customerId }: Pick<TakeOn, 'id' | 'customerId'>,
	words: string
): LedgerAct => ({
	act: 'take on network',
	customerId,
	subjectKind: 'take-on',
	subjectId: id,
	words
});

/** Begins to take on a customer's network. Engineers who plan sites there may. */
export const beginTakeOn = (
	given: v.InferOutput<typeof takeOnSchema>,
	actor: Actor
): Promise<Act<{ id: string }>> => changing((trx) => beginTakeOnIn(trx, given, actor), BEGIN_REFUSALS);

export const BEGIN_REFUSALS = { take_on_name: 'One of that name is under way already.' };

/** The same in another act's transaction. */
export async function beginTakeOnIn(
	trx: Knex,
	given: v.InferOutput<typeof takeOnSchema>,
	actor: Actor
): Promise<Act<{ id: string }>> {
	const refused = mayNotTakeOn(actor, given.customer);
	if (refused) return refused;
	const id = uuid();
	await trx('take_on').insert({ id, customer_id: given.customer, name: given.name, by_whom: actor.name });
	await enterInLedger(trx, actor, [
		aboutTakeOn({ id, customerId: given.customer }, `Take-on “${given.name}” begun.`)
	]);
	await notify(trx, 'take-ons', given.customer, [id]);
	return done({ id });
}

/** A take-on that whoever acts may change, locked; or why they may not. */
export async function openTakeOn(trx: Knex, id: string, actor: Actor): Promise<Act<TakeOn>> {
	await trx('take_on').where({ id }).forUpdate().first('id');
	const takeOn = await takeOnById(id, trx);
	if (!takeOn) return refuse('There is no such take-on.');
	const refused = mayNotTakeOn(actor, takeOn.customerId);
	if (refused) return refused;
	return takeOn.endedAt === null ? done(takeOn) : refuse('It is over.');
}

/** The queue is not backed up: what is still to be learnt gets its job again. */
export async function adoptTakeOns(): Promise<void> {
	const ids: string[] = await database()('take_on')
		.whereNull('ended_at')
		.whereRaw('learnt < wanted')
		.pluck('id');
	for (const id of ids) await enqueue(database(), LEARN, { takeOn: id }, { key: `${LEARN} ${id}` });
}

const AGAIN_MS = 3_000;
/** Another is being learnt at this moment: this one comes after it. */
export const learnLater = (knex: Knex, id: string): Promise<void> =>
	enqueue(knex, LEARN, { takeOn: id }, { key: `${LEARN} ${id}`, due: new Date(timeNow() + AGAIN_MS) });

/** Orders that it is learnt anew, in the act's transaction. */
export async function orderLearning(trx: Knex, { id, customerId }: TakeOn): Promise<void> {
	await trx('take_on')
		.where({ id })
		.update({ wanted: trx.raw('wanted + 1'), problem: '' });
	await enqueue(trx, LEARN, { takeOn: id }, { key: `${LEARN} ${id}` });
	await notify(trx, 'take-ons', customerId, [id]);
}

/** A configuration as somebody brought it. */
export interface Brought {
	readonly name: string;
	readonly text: string;
	readonly unitId?: string;
	readonly modelId?: string | null;
	/** Where it is, when Limen knows that. */
	readonly place?: { readonly site: string; readonly position: string } | null;
	/** A position of the plan, where it is what that is given by the profile that it follows. */
	readonly of?: { readonly position: string; readonly profile: string };
}

/**
 * Adds configurations, each under its name; one of the same name takes the place of the one before. Engineers who plan there
 * may. Refused as a whole: one that is too long, empty, or too many of them.
 */
export const addConfigurations = (
	id: string,
	brought: readonly Brought[],
	actor: Actor
): Promise<Act<{ readonly added: number }>> =>
	changing(
		async (trx) => {
			const opened = await openTakeOn(trx, id, actor);
			if (!opened.ok) return opened;
			const takeOn = opened.done;
			const named = new Map(brought.map((one) => [calledBy(one.name), one]));
			if (named.size === 0) return refuse('There is no configuration in it.');
			for (const [called, { text }] of named) {
				if (called === '') return refuse('Each configuration needs a name.');
				if (text.trim() === '') return refuse(`“${called}” is empty. Nothing was added.`);
				if (text.length > LONGEST_TEXT || linesIn(text) > MOST_LINES)
					return refuse(
						`“${called}” is longer than ${MOST_LINES.toLocaleString('en')} lines or a megabyte. Nothing was added.`
					);
			}
			await trx('take_on_unit')
				.where({ take_on_id: id })
				.whereIn('name', [...named.keys()])
				.whereNull('position_id')
				.delete();
			const { count } = (await trx('take_on_unit').where({ take_on_id: id }).count().first()) as {
				count: string;
			};
			if (Number(count) + named.size > MOST_UNITS)
				return refuse(`At most ${MOST_UNITS.toLocaleString('en')} units at once. Nothing was added.`);
			await trx.batchInsert(
				'take_on_unit',
				[...named].map(([called, { text, unitId, modelId, place, of }]) => ({
					id: uuid(),
					take_on_id: id,
					customer_id: takeOn.customerId,
					name: called,
					text: seal(text),
					lines: linesIn(text),
					unit_id: unitId ?? null,
					model_id: modelId ?? null,
					model_said: modelId != null,
					...(place && { site_name: place.site, position_name: place.position }),
					...(of && { of_position: of.position, of_profile: of.profile })
				}))
			);
			await enterInLedger(trx, actor, [
				aboutTakeOn(takeOn, `${counted(named.size, 'configuration')} added to take-on “${takeOn.name}”.`)
			]);
			await orderLearning(trx, takeOn);
			return done({ added: named.size });
		},
		{
			take_on_unit_take_on_id_name_key: 'One of these is part of the plan already.',
			take_on_unit_take_on_id_unit_id_key: 'One of these units is in it already.',
			take_on_unit_of_position_key: 'One of these positions is in it already.'
		}
	);

/** The endings that configurations are kept under say nothing of a unit. */
const calledBy = (file: string): string =>
	file
		.replace(/\.(?:txt|cfg|conf|config|json|xml|log|bak)$/i, '')
		.trim()
		.slice(0, 120);
const linesIn = (text: string): number => text.trimEnd().split('\n').length;

export const takeOnUnitsSchema = v.object({ unit: manyIds('Choose units first.', MOST_UNITS) });

/** Leaves units out again; those that are part of the plan stay. */
export const leaveOut = (
	id: string,
	{ unit }: v.InferOutput<typeof takeOnUnitsSchema>,
	actor: Actor
): Promise<Act<{ readonly count: number }>> =>
	changing(async (trx) => {
		const opened = await openTakeOn(trx, id, actor);
		if (!opened.ok) return opened;
		const count = await trx('take_on_unit')
			.where({ take_on_id: id })
			.whereIn('id', unit)
			.whereNull('position_id')
			.delete();
		if (count === 0) return refuse('They are part of the plan already, or were left out.');
		await enterInLedger(trx, actor, [
			aboutTakeOn(opened.done, `${counted(count, 'unit')} left out of take-on “${opened.done.name}”.`)
		]);
		await orderLearning(trx, opened.done);
		return done({ count });
	});

export const modelSchema = v.object({
	...takeOnUnitsSchema.entries,
	model: v.pipe(v.string(), v.maxLength(60))
});

/** Says which model units are; an empty one: as it is found by what they say. */
export const sayModel = (
	id: string,
	{ unit, model }: v.InferOutput<typeof modelSchema>,
	actor: Actor
): Promise<Act> =>
	changing(
		async (trx) => {
			const opened = await openTakeOn(trx, id, actor);
			if (!opened.ok) return opened;
			await trx('take_on_unit')
				.where({ take_on_id: id })
				.whereIn('id', unit)
				.update({ model_id: model || null, model_said: model !== '' });
			await orderLearning(trx, opened.done);
			return done(undefined);
		},
		{},
		'There is no such model.'
	);

/** Ends it: what is part of the plan stays there, and what was brought for it is thrown away. */
export const endTakeOn = (id: string, actor: Actor): Promise<Act> =>
	changing(async (trx) => {
		const opened = await openTakeOn(trx, id, actor);
		if (!opened.ok) return opened;
		await trx('take_on').where({ id }).update({ ended_at: trx.fn.now() });
		// Nobody needs the configurations any more, with the secrets in them
		await trx('take_on_unit')
			.where({ take_on_id: id })
			.update({ text: seal(''), learnt: null });
		await trx('take_on_group').where({ take_on_id: id }).update({ base: null, result: null });
		await enterInLedger(trx, actor, [aboutTakeOn(opened.done, `Take-on “${opened.done.name}” ended.`)]);
		await notify(trx, 'take-ons', opened.done.customerId, [id]);
		return done(undefined);
	});
