import * as v from 'valibot';
import { done, refuse, type Act } from '../act';
import { newestOf } from '../archive';
import { database } from '../database';
import { readMany } from '../drift';
import { manyIds } from '../forms';
import type { Actor } from '../ledger';
import { renderManyApart, renderingSources } from '../profile';
import { addConfigurations, mayNotTakeOn, MOST_UNITS, type Brought } from './collect';
import { takeOnById } from './store';

export const ownUnitsSchema = v.object({
	serials: v.pipe(
		v.string('Which units?'),
		v.maxLength(100_000),
		v.transform((text) => [
			...new Set(
				text
					.toUpperCase()
					.split(/[\s,;]+/)
					.filter(Boolean)
			)
		]),
		v.minLength(1, 'Which units?'),
		v.maxLength(MOST_UNITS, `At most ${MOST_UNITS.toLocaleString('en')} units at once.`)
	)
});

interface OwnUnit {
	readonly id: string;
	readonly serial: string;
	readonly model_id: string;
	readonly site: string | null;
	readonly position: string | null;
}

/** So many that were never read are read at once. */
const MOST_READ = 60;

/**
 * Adds units of the customer's own, with what they ran when they were read last; those that never were are read now. Refused:
 * one that cannot be.
 */
export async function addUnits(
	id: string,
	{ serials }: v.InferOutput<typeof ownUnitsSchema>,
	actor: Actor
): Promise<Act<{ readonly added: number }>> {
	const takeOn = await takeOnById(id);
	if (!takeOn) return refuse('There is no such take-on.');
	const units: OwnUnit[] = await database()('unit')
		.leftJoin('binding', 'binding.unit_id', 'unit.id')
		.leftJoin('position', 'position.id', 'position_id')
		.leftJoin('site', 'site.id', 'position.site_id')
		.whereIn('unit.serial', serials)
		.where({ 'unit.customer_id': takeOn.customerId })
		.select('unit.id', 'unit.serial', 'unit.model_id', 'site.name as site', 'position.name as position');
	const known = new Set(units.map(({ serial }) => serial));
	const strange = serials.find((serial) => !known.has(serial));
	if (strange !== undefined) return refuse(`${strange} is no unit of this customer’s.`);
	const newest = async () =>
		new Map(
			await Promise.all(units.map(async (unit) => [unit.id, await newestOf(database(), unit.id)] as const))
		);
	let versions = await newest();
	const never = units.filter((unit) => !versions.get(unit.id));
	if (never.length > MOST_READ)
		return refuse(
			`${never.length} of them were never read. Bring ${MOST_READ} at a time, or have them read first.`
		);
	if (never.length > 0) {
		const refused = mayNotTakeOn(actor, takeOn.customerId);
		if (refused) return refused;
		await readMany(never.map((unit) => unit.id));
		versions = await newest();
	}
	const brought: Brought[] = [];
	for (const { id: unitId, serial, model_id: modelId, site, position } of units) {
		const version = versions.get(unitId);
		if (!version)
			return refuse(`${serial} was never read, and cannot be read at this moment: look at its page.`);
		const place = site && position ? { site, position } : null;
		brought.push({
			name: place ? `${place.site} ${place.position}` : serial,
			text: version.text,
			unitId,
			modelId,
			place
		});
	}
	return addConfigurations(id, namedApart(brought), actor);
}

export const profilesSchema = v.object({
	profile: manyIds('Choose profiles first.', 50)
});

/** So many positions are rendered at once. */
const RENDERED_AT_ONCE = 40;

/**
 * Adds what the customer’s positions are given by profiles that they follow: profiles that were copied and edited become one
 * again. What cannot be computed, for want of values say, is left out. Engineers who plan there may. Refused: too many of them.
 */
export async function addProfiles(
	id: string,
	{ profile }: v.InferOutput<typeof profilesSchema>,
	actor: Actor
): Promise<Act<{ readonly added: number; readonly left: number }>> {
	const takeOn = await takeOnById(id);
	if (!takeOn) return refuse('There is no such take-on.');
	const refused = mayNotTakeOn(actor, takeOn.customerId);
	if (refused) return refused;
	const positions: { id: string; unitId: string | null }[] = await database()('position')
		.leftJoin('binding', 'binding.position_id', 'position.id')
		.where({ 'position.customer_id': takeOn.customerId })
		.whereIn('profile_id', profile)
		.orderBy('position.id')
		.limit(MOST_UNITS + 1)
		.select('position.id', 'binding.unit_id as unitId');
	if (positions.length > MOST_UNITS)
		return refuse(`At most ${MOST_UNITS.toLocaleString('en')} positions at once. Nothing was added.`);
	const brought: Brought[] = [];
	for (let from = 0; from < positions.length; from += RENDERED_AT_ONCE) {
		const some = positions.slice(from, from + RENDERED_AT_ONCE);
		const sources = await renderingSources(
			database(),
			some.map((one) => one.id)
		);
		const renderings = await renderManyApart(some.map((one) => sources.get(one.id)!));
		for (const [at, { id: position, unitId }] of some.entries()) {
			const [source, rendering] = [sources.get(position)!, renderings[at]!];
			if (!rendering.ok || !source.model) continue;
			brought.push({
				name: `${source.siteName} ${source.positionName}`,
				text: rendering.text,
				modelId: source.model.id,
				place: { site: source.siteName, position: source.positionName },
				of: { position, profile: source.profileName },
				...(unitId !== null && { unitId })
			});
		}
	}
	if (brought.length === 0)
		return refuse('No position of this customer that follows them can be computed. Look at their previews.');
	const added = await addConfigurations(id, namedApart(brought), actor);
	return added.ok ? done({ ...added.done, left: positions.length - brought.length }) : added;
}

/** Sites and positions may be called alike once they are written as one name; none of them takes another's place. */
function namedApart(brought: readonly Brought[]): Brought[] {
	const taken = new Set<string>();
	return brought.map((one) => {
		let [name, count] = [one.name.slice(0, LONGEST_NAME), 1];
		while (taken.has(name)) name = `${one.name.slice(0, LONGEST_NAME)} (${++count})`;
		taken.add(name);
		return { ...one, name };
	});
}
/** With room for a count behind it. */
const LONGEST_NAME = 110;
