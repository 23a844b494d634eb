import type { Knex } from 'knex';
import * as v from 'valibot';
import type { SurveyedThing } from '../../../core/survey';
import { counted } from '../../../core/text';
import { done, refuse, type Act } from '../act';
import { newestOf } from '../archive';
import { changing, TakenBack } from '../change';
import { reachWhereFoundIn, NOT_REACHED_BY_YOU } from '../connections';
import { apartFromTransaction, database } from '../database';
import { readMany } from '../drift';
import { claimRunningIn } from '../intake';
import { beginLongWork, onLongWork } from '../jobs';
import type { Actor } from '../ledger';
import { lettingIn, newestMap, surveyById } from '../survey';
import {
	addConfigurations,
	BEGIN_REFUSALS,
	beginTakeOnIn,
	MOST_UNITS,
	takeOnName,
	type Brought
} from './collect';

export const takeOnFoundSchema = v.object({
	name: takeOnName,
	thing: v.pipe(
		v.union(
			[
				v.array(v.string()),
				v.pipe(
					v.string(),
					v.transform((one) => [one])
				)
			],
			'Choose units first.'
		),
		v.minLength(1, 'Choose units first.'),
		v.maxLength(MOST_UNITS, `At most ${MOST_UNITS.toLocaleString('en')} units at once.`)
	)
});

/** So many are read beside each other, and so long they may take to be connected and to answer. */
const AT_ONCE = 20;
const PATIENCE_MS = 120_000;
const BRING = 'bring units from a survey';

/**
 * Takes on units that a survey found: those that Limen does not have are claimed, they are reached where they were found, and a
 * take-on is begun to which long work brings what they run. Engineers who plan sites and claim for the customer may. Refused as a
 * whole: something that does not let in, or is another's.
 */
export async function takeOnFound(
	surveyId: string,
	{ name, thing: keys }: v.InferOutput<typeof takeOnFoundSchema>,
	actor: Actor
): Promise<Act<{ readonly id: string; readonly count: number }>> {
	const survey = await surveyById(surveyId);
	const newest = survey && (await newestMap(surveyId));
	if (!survey || !newest) return refuse('There is no such survey.');
	const { customerId } = survey;
	if (!actor.may('reach units', customerId)) return refuse(NOT_REACHED_BY_YOU);
	const wanted = new Set(keys);
	const things = newest.map.things.filter(({ key }) => wanted.has(key));
	if (things.length < wanted.size) return refuse('Some of these are not found any more. Look again.');
	const locked = things.find(({ outcome, serial, model }) => outcome !== 'in' || !serial || !model);
	if (locked) return refuse(`${locked.name} does not let in: nothing can be learnt from it.`);
	return changing(async (trx) => {
		const takeOn = await beginTakeOnIn(trx, { customer: customerId, name }, actor);
		if (!takeOn.ok) return takeOn;
		const units = await claimThem(trx, customerId, newest.run.id, things, actor);
		if (!units.ok) throw new TakenBack(units);
		const work = await beginLongWork(
			trx,
			{
				kind: BRING,
				title: `Read ${counted(things.length, 'unit')} for ${name}`,
				things: batchesOf(units.done, AT_ONCE).map((batch) => ({
					customerId,
					subject: batch.map((unit) => unit.name).join(', '),
					about: { takeOn: takeOn.done.id, units: JSON.stringify(batch) }
				}))
			},
			actor
		);
		if (!work.ok) throw new TakenBack(work);
		return done({ id: takeOn.done.id, count: things.length });
	}, BEGIN_REFUSALS);
}

interface Named {
	readonly unitId: string;
	readonly name: string;
	readonly modelId: string;
}

async function claimThem(
	trx: Knex,
	customerId: string,
	runId: string,
	things: readonly SurveyedThing[],
	actor: Actor
): Promise<Act<readonly Named[]>> {
	const unknown = things.filter(({ known }) => known === null);
	const claimed = await claimRunningIn(
		trx,
		customerId,
		unknown.map(({ serial, model, mac, version }) => ({ serial: serial!, modelId: model!, mac, version })),
		actor
	);
	if (!claimed.ok) return claimed;
	const ids = new Map(unknown.map(({ key }, index) => [key, claimed.done[index]!]));
	const named = new Map<string, number>();
	const places = await lettingIn(trx, runId);
	const units = things.map((thing) => {
		const count = (named.get(thing.name) ?? 0) + 1;
		named.set(thing.name, count);
		return {
			unitId: thing.known?.unitId ?? ids.get(thing.key)!,
			// What calls itself alike is told apart
			name: count === 1 ? thing.name : `${thing.name} ${thing.serial}`,
			modelId: thing.model!,
			place: thing.addresses.map((address) => places.get(address)).find((place) => place !== undefined)
		};
	});
	await reachWhereFoundIn(
		trx,
		customerId,
		units.flatMap(({ unitId, place }) => (place ? [{ unitId, ...place }] : []))
	);
	return done(units.map(({ unitId, name, modelId }) => ({ unitId, name, modelId })));
}

const batchesOf = <One>(all: readonly One[], size: number): One[][] =>
	Array.from({ length: Math.ceil(all.length / size) }, (_, at) => all.slice(at * size, (at + 1) * size));

export const startBringing = (): void => onLongWork(BRING, bring);

/** Reads some units and adds what they run; those that cannot be read are told. */
async function bring(
	_trx: Knex,
	{ takeOn, units: text }: Readonly<Record<string, string>>,
	actor: Actor
): Promise<Act<string>> {
	const units = JSON.parse(text!) as Named[];
	return apartFromTransaction(async () => {
		const answers = await readMany(
			units.map(({ unitId }) => unitId),
			PATIENCE_MS
		);
		const brought: Brought[] = [];
		const silent: string[] = [];
		for (const [index, { unitId, name, modelId }] of units.entries()) {
			const version = await newestOf(database(), unitId);
			if (version) brought.push({ name, text: version.text, unitId, modelId });
			else silent.push(`${name}: ${answers[index]?.words || 'it did not come in time'}`);
		}
		if (brought.length > 0) {
			const added = await addConfigurations(takeOn!, brought, actor);
			if (!added.ok) return added;
		}
		return silent.length === 0
			? done(`${counted(brought.length, 'configuration')} read.`)
			: refuse(`${counted(brought.length, 'configuration')} read. ${silent.join('; ')}`.slice(0, 1900));
	});
}
