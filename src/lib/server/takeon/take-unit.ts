import type { Knex } from 'knex';
import { resolveValues, writeValue } from '../../../core/profile';
import { counted } from '../../../core/text';
import { done, refuse, type Act } from '../act';
import { isSameText } from '../archive';
import { bindIn } from '../binding';
import { TakenBack } from '../change';
import { enqueue } from '../database';
import { enterInLedger, type Actor } from '../ledger';
import { notify } from '../live';
import { addPositionIn, createSiteIn, followProfileIn, saveValuesIn } from '../plan';
import { addOwnIn, renderApart, renderingModels, renderingSources } from '../profile';
import { takeStanceIn } from '../stance';
import { ADOPT } from './adopt';
import { aboutTakeOn } from './collect';
import { takeOnById, unitToTakeOn, type LearntUnit } from './store';

/** Brings one unit of a take-on into the plan, in a transaction of the caller's; what came of it in words. */
export async function takeUnitOn(
	trx: Knex,
	{ takeOn: id, unit: unitId, timeZone }: Readonly<Record<string, string>>,
	actor: Actor
): Promise<Act<string>> {
	const takeOn = await takeOnById(id!, trx);
	if (!takeOn || takeOn.endedAt !== null) return refuse('The take-on is over.');
	const { customerId } = takeOn;
	const found = await unitToTakeOn(trx, unitId!);
	if (!found) return refuse('It was left out.');
	const { unit, group, learnt, text } = found;
	if (unit.positionId !== null) return refuse('It is part of the plan already.');
	if (!group?.profileId || !learnt) return refuse('Nothing was learnt from it.');
	if (!learnt.holds) return refuse('Its proof does not hold: what the profile gives is not what it runs.');
	const { site, position } = unit;
	const placed = unit.ofPosition
		? { positionId: unit.ofPosition }
		: unit.unitId === null
			? null
			: await boundAt(trx, unit.unitId);
	const positionId = placed
		? await following(trx, placed.positionId, group.profileId, actor)
		: await planned(
				trx,
				{ customerId, site, position, timeZone: timeZone!, profileId: group.profileId },
				actor
			);
	const targetOf = await targets(trx, id!, positionId, learnt);
	const values = await toBeGiven(trx, positionId, learnt);
	if (values.length > 0) {
		const saved = await saveValuesIn(
			trx,
			values.map(([field, now]) => ({ positionId, field, target: targetOf(field), now })),
			actor
		);
		if (!saved.ok) return refuse(saved.cells[0]?.message ?? saved.problem);
	}
	if (learnt.own.length > 0) must(await addOwnIn(trx, positionId, group.dialect, learnt.own));
	// Only now can it be seen whether what it gets would strand it
	const runId = unit.unitId !== null && !placed ? await bound(trx, positionId, unit.unitId, actor) : null;
	const differs = await differsAt(trx, positionId, unit.modelId, text);
	if (differs !== null) return refuse(differs);
	if (unit.unitId !== null && unit.ofPosition === null) {
		// Saying once more what is so already is no fault here
		await takeStanceIn(trx, { customerId, siteId: null, unitId: unit.unitId }, 'watch', actor);
	}
	if (runId !== null) await enqueue(trx, ADOPT, { run: runId }, { key: `${ADOPT} ${runId}` });
	await trx('take_on_unit').where({ id: unitId }).update({ position_id: positionId });
	await enterInLedger(trx, actor, [
		{
			...aboutTakeOn(takeOn, `${unit.name} was taken on as ${position} at ${site}.`),
			subjectKind: 'position',
			subjectId: positionId
		}
	]);
	await notify(trx, 'take-ons', customerId, [id!]);
	return done(
		`${position} at ${site}, with ${counted(values.length, 'value')}${learnt.own.length > 0 ? ` and ${counted(learnt.own.length, 'statement')} of its own` : ''}.`
	);
}

function must<Done>(act: Act<Done>): Done {
	if (!act.ok) throw new TakenBack(act);
	return act.done;
}

/** Its values, but for those that it has there already; and what its profile gives it, where something else is given there. */
async function toBeGiven(
	trx: Knex,
	positionId: string,
	{ values, usual = {} }: LearntUnit
): Promise<readonly (readonly [string, string])[]> {
	const { scoped } = (await renderingSources(trx, [positionId])).get(positionId)!;
	const { customer = {}, site = {}, position = {} } = scoped;
	const around = resolveValues({ customer, site, position });
	const isGiven = (name: string) => Object.hasOwn(around, name);
	return Object.entries({ ...usual, ...values }).filter(([name, value]) =>
		isGiven(name) ? writeValue(around[name]!) !== value : Object.hasOwn(values, name)
	);
}

/**
 * Where a value is given: at the site, where its field is expected there, all of its units came with this take-on, and nobody
 * has given another; else at the position, where it changes nothing for anybody.
 */
async function targets(
	trx: Knex,
	takeOnId: string,
	positionId: string,
	{ values, atSite }: LearntUnit
): Promise<(field: string) => 'site' | 'position'> {
	if (atSite.length === 0) return () => 'position';
	const site = await trx('site')
		.join('position', 'position.site_id', 'site.id')
		.where('position.id', positionId)
		.forUpdate('site')
		.first('site.id', 'site.values');
	const others = await trx('position')
		.where({ site_id: site!.id })
		.whereNot({ id: positionId })
		.whereNotIn(
			'id',
			trx('take_on_unit').where({ take_on_id: takeOnId }).whereNotNull('position_id').select('position_id')
		)
		.first('id');
	const given = site!.values as Readonly<Record<string, unknown>>;
	const names = new Set(others ? [] : atSite);
	return (field) =>
		names.has(field) && (!Object.hasOwn(given, field) || String(given[field]) === values[field])
			? 'site'
			: 'position';
}

/** A unit that Limen reaches at its address needs no way home in its configuration. */
async function bound(trx: Knex, positionId: string, unitId: string, actor: Actor): Promise<string> {
	const isReached = (await trx('unit_reach').where({ unit_id: unitId }).first('unit_id')) !== undefined;
	const reason =
		actor.reason ?? (isReached ? 'It is taken on as it runs, and reached at its address.' : undefined);
	return must(await bindIn(trx, positionId, unitId, { ...actor, ...(reason && { reason }) })).runId;
}

const boundAt = (trx: Knex, unitId: string): Promise<{ positionId: string } | undefined> =>
	trx('binding').where({ unit_id: unitId }).first('position_id as positionId');

async function following(trx: Knex, positionId: string, profileId: string, actor: Actor): Promise<string> {
	const now = await trx('position').where({ id: positionId }).first('profile_id');
	if (now!.profile_id !== profileId) must(await followProfileIn(trx, positionId, profileId, actor));
	return positionId;
}

interface Wanted {
	readonly customerId: string;
	readonly site: string;
	readonly position: string;
	readonly timeZone: string;
	readonly profileId: string;
}
async function planned(
	trx: Knex,
	{ customerId, site, position, timeZone, profileId }: Wanted,
	actor: Actor
): Promise<string> {
	const known = await trx('site')
		.where({ customer_id: customerId })
		.whereRaw('lower(name) = lower(?)', [site])
		.first('id');
	const siteId = known ? (known.id as string) : await newSite(trx, customerId, site, timeZone, actor);
	return must(await addPositionIn(trx, siteId, position, profileId, actor)).id;
}

/** Nothing is put right by itself at a site that was just taken on. */
async function newSite(
	trx: Knex,
	customerId: string,
	name: string,
	timeZone: string,
	actor: Actor
): Promise<string> {
	const { id } = must(await createSiteIn(trx, customerId, siteOf(name, timeZone), actor));
	must(await takeStanceIn(trx, { customerId, siteId: id, unitId: null }, 'watch', actor));
	return id;
}

/** All that is known of a site that was found by its units. */
const siteOf = (name: string, timeZone: string) => ({
	name,
	timeZone,
	street: '',
	locality: '',
	country: '',
	latitude: null,
	longitude: null,
	contact: '',
	phone: '',
	accessHours: '',
	directions: '',
	uplink: 'fibre' as const,
	provider: '',
	circuit: '',
	sim: '',
	apn: '',
	appointment: '',
	minutes: 60,
	technician: '' as const
});

/** Why what Limen would send there is not what runs; null when it is. Values of wider scopes count there too. */
async function differsAt(
	trx: Knex,
	positionId: string,
	modelId: string | null,
	running: string
): Promise<string | null> {
	const source = (await renderingSources(trx, [positionId], { modelId })).get(positionId)!;
	const rendering = await renderApart(source);
	if (!rendering.ok) return `It cannot be computed there: ${rendering.problems[0]!.message}`;
	const model = (await renderingModels(trx)).get(source.model!.id)!;
	return (await isSameText(rendering.text, running, model.dialect, model.rules))
		? null
		: 'There it would not be what it runs: a value of its site or customer counts too. Look at the values there.';
}
