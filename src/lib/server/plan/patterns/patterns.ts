import { counted } from '../../../../core/text';
import type { Knex } from 'knex';
import { v7 as uuid } from 'uuid';
import * as v from 'valibot';
import { isCopyable, type Cable } from '../../../../core/plan';
import { readValue, type Field, type Values } from '../../../../core/profile';
import { done, refuse, type Act } from '../../act';
import { database, isRefusal } from '../../database';
import { enterInLedger, type Actor } from '../../ledger';
import { notify } from '../../live';
import { sheetColumns } from '../sheet/sheet';
import { patternById } from '../sites/standing-sites';

/**
 * Site patterns: what the sites of a kind have in common. Whoever may plan sites for the customer writes
 * them, stamps sites from them, and chooses which sites follow a change.
 */
export interface PatternRow {
	readonly id: string;
	readonly name: string;
	readonly note: string;
	readonly customerId: string;
	readonly customerName: string;
	readonly sites: number;
	readonly positions: readonly string[];
}
export const NO_CUSTOMER =
	'There is no customer to plan for yet. An administrator takes one on under People.';
export const NOT_PLANNED_BY_YOU = 'You may not plan sites for this customer.';

export const patterns = (customerId: string | null): Promise<PatternRow[]> => {
	const query = database()('site_pattern')
		.join('customer', 'customer.id', 'site_pattern.customer_id')
		.orderBy(['customer.name', 'site_pattern.name'])
		.select<PatternRow[]>(
			'site_pattern.id', 'site_pattern.name', 'note', 'site_pattern.customer_id as customerId', 'customer.name as customerName',
			database().raw('(select count(*)::int from site where pattern_id = site_pattern.id) as sites'),
			database().raw('array(select name from pattern_position where pattern_id = site_pattern.id order by ordinal) as positions')
		); // prettier-ignore
	return customerId ? query.where('site_pattern.customer_id', customerId) : query;
};

const name = v.pipe(v.string(), v.trim(), v.minLength(1, 'It needs a name.'), v.maxLength(120));
const typed = v.record(v.string(), v.pipe(v.string(), v.maxLength(8000)));
const id = v.pipe(v.string(), v.uuid());

const placeEnd = v.object({
	place: v.pipe(v.number(), v.integer(), v.minValue(0), v.maxValue(99)),
	port: v.pipe(v.string(), v.regex(/^[a-z][a-z0-9_]{0,40}$/))
});
/** A pattern as somebody wrote it: values as typed. */
export const patternSchema = v.object({
	id: v.nullable(id),
	/** As they saw it. */
	edit: v.pipe(v.number(), v.integer()),
	name,
	note: v.pipe(v.string(), v.trim(), v.maxLength(1000)),
	siteValues: typed,
	places: v.pipe(
		v.array(
			v.object({
				id: v.nullable(id),
				name,
				profileId: id,
				values: typed,
				/** To which position the tunnels of its sites lead. */
				tunnelTo: v.optional(v.nullable(id), null)
			})
		),
		v.minLength(1, 'A pattern has a position at least.'),
		v.maxLength(100, 'A pattern has 100 positions at most.'),
		v.check(
			(places) => new Set(places.map((place) => place.name.toLowerCase())).size === places.length,
			'Two positions have the same name.'
		)
	),
	/** Between its places, which are counted; null: each site is cabled as proposed. */
	cables: v.optional(
		v.nullable(v.pipe(v.array(v.object({ near: placeEnd, far: v.nullable(placeEnd) })), v.maxLength(500))),
		null
	)
});
export type PatternInput = v.InferInput<typeof patternSchema>;

/** What a profile asks for that a pattern can give: at the site, and at the position. */
export interface PatternField {
	readonly field: Field;
	readonly target: 'site' | 'position';
}
export async function patternFields(
	knex: Knex,
	profileId: string,
	customerId: string
): Promise<readonly PatternField[]> {
	const [columns, pooled] = await Promise.all([
		sheetColumns({ profileId }, knex),
		pooledFields(knex, customerId)
	]);
	return columns.flatMap(({ field, target }) =>
		target !== 'customer' && isCopyable(field, pooled) ? [{ field, target }] : []
	);
}

export const pooledFields = async (knex: Knex, customerId: string): Promise<ReadonlySet<string>> =>
	new Set<string>(await knex('pool').where({ customer_id: customerId }).pluck('field'));

/** Writes a pattern, new or changed. No site changes by it. */
export async function savePattern(
	customerId: string,
	input: PatternInput,
	actor: Actor
): Promise<Act<{ id: string }>> {
	if (!actor.may('plan sites', customerId)) return refuse(NOT_PLANNED_BY_YOU);
	try {
		return await database().transaction(async (trx) => {
			const before = input.id && (await trx('site_pattern').where({ id: input.id }).forUpdate().first());
			if (input.id && (!before || before.customer_id !== customerId))
				return refuse('There is no such pattern any more.');
			if (before && before.edit !== input.edit)
				return refuse('Somebody else has changed this pattern meanwhile. Load the page again to see it.');
			const read = await readPattern(trx, customerId, input);
			if (!read.ok) return read;
			const cables = cablesBetween(read.done.places, input.cables ?? []);
			if (!cables) return refuse('A cable leads to a position that is not in the pattern.');
			const patternId = input.id ?? uuid();
			const row = {
				name: input.name,
				note: input.note,
				site_values: JSON.stringify(read.done.siteValues),
				is_cabled: input.cables != null
			};
			if (before)
				await trx('site_pattern')
					.where({ id: patternId })
					.update({ ...row, edit: before.edit + 1 });
			else await trx('site_pattern').insert({ id: patternId, customer_id: customerId, ...row });
			await trx('pattern_position').where({ pattern_id: patternId }).delete();
			await trx('pattern_position').insert(
				read.done.places.map((place, ordinal) => ({
					...place,
					ordinal,
					values: JSON.stringify(place.values),
					pattern_id: patternId,
					customer_id: customerId
				}))
			);
			if (cables.length > 0)
				await trx('pattern_cable').insert(
					cables.map(({ near, far }) => ({
						id: uuid(),
						pattern_id: patternId,
						customer_id: customerId,
						near_place: near.positionId,
						near_port: near.port,
						far_place: far?.positionId ?? null,
						far_port: far?.port ?? null
					}))
				);
			await notify(trx, 'plan', customerId);
			await enterInLedger(trx, actor, [
				{
					act: before ? 'change pattern' : 'make pattern',
					customerId,
					subjectKind: 'pattern',
					subjectId: patternId,
					words: `Pattern “${input.name}” was ${before ? 'changed' : 'made'}: ${input.places.map((place) => place.name).join(', ')}. No site was changed by it.`
				}
			]);
			return done({ id: patternId });
		});
	} catch (error) {
		if (!isRefusal(error)) throw error;
		return refuse(
			error.constraint === 'site_pattern_name'
				? `The customer has a pattern “${input.name}” already.`
				: error.constraint?.startsWith('pattern_cable_')
					? 'Two of its cables are in one port, or one is plugged into itself.'
					: error.constraint?.includes('tunnel_to')
						? 'A tunnel leads to a position that this customer does not have any more.'
						: 'One of its profiles does not exist any more.'
		);
	}
}

/** The cables between places by their ids; null when one leads nowhere. */
function cablesBetween(
	places: readonly ReadPlace[],
	cables: NonNullable<PatternInput['cables']>
): readonly Cable[] | null {
	const end = ({ place, port }: { place: number; port: string }) =>
		places[place] && { positionId: places[place].id, port };
	const between = cables.map(({ near, far }) => ({ near: end(near), far: far && end(far) }));
	return between.every(({ near, far }) => near && far !== undefined) ? (between as readonly Cable[]) : null;
}

interface ReadPlace {
	readonly id: string;
	readonly name: string;
	readonly role_id: string;
	readonly profile_id: string;
	readonly tunnel_to: string | null;
	readonly values: Values;
}
/** Reads what was typed by the fields of the profiles. */
async function readPattern(
	trx: Knex,
	customerId: string,
	input: PatternInput
): Promise<Act<{ siteValues: Values; places: readonly ReadPlace[] }>> {
	const known = new Map<string, string>(
		(await trx('profile').whereNull('retired_at').select('id', 'role_id')).map((row) => [row.id, row.role_id])
	);
	const own = new Set<string>(
		input.id ? await trx('pattern_position').where({ pattern_id: input.id }).pluck('id') : []
	);
	const atSite = new Map<string, Field>();
	const places: ReadPlace[] = [];
	for (const place of input.places) {
		const role = known.get(place.profileId);
		if (!role) return refuse(`The profile of ${place.name} does not exist any more.`);
		const fields = await patternFields(trx, place.profileId, customerId);
		for (const { field, target } of fields) if (target === 'site') atSite.set(field.name, field);
		const at = new Map(
			fields.flatMap(({ field, target }) => (target === 'position' ? [[field.name, field] as const] : []))
		);
		const values = readTyped(place.values, at, place.name);
		if (!values.ok) return values;
		places.push({
			id: place.id && own.has(place.id) ? place.id : uuid(),
			name: place.name,
			role_id: role,
			profile_id: place.profileId,
			tunnel_to: place.tunnelTo ?? null,
			values: values.done
		});
	}
	const siteValues = readTyped(input.siteValues, atSite, 'The site');
	return siteValues.ok ? done({ siteValues: siteValues.done, places }) : siteValues;
}

function readTyped(
	given: Readonly<Record<string, string>>,
	fields: ReadonlyMap<string, Field>,
	at: string
): Act<Values> {
	const values: Record<string, Values[string]> = {};
	for (const [field, text] of Object.entries(given)) {
		const known = fields.get(field);
		// What another profile asked for goes with it
		if (text.trim() === '' || !known) continue;
		const read = readValue(known.type, text);
		if (!read.ok) return refuse(`${at}, ${field}: ${read.message}`);
		values[field] = read.value;
	}
	return done(values);
}

/** Takes a pattern away. Its sites stay as they are, and are their own. */
export async function removePattern(patternId: string, actor: Actor): Promise<Act<{ sites: number }>> {
	return database().transaction(async (trx) => {
		const pattern = await patternById(trx, patternId);
		if (!pattern) return refuse('This pattern is gone already.');
		if (!actor.may('plan sites', pattern.customerId)) return refuse(NOT_PLANNED_BY_YOU);
		const siteIds = await trx('site').where({ pattern_id: patternId }).pluck('id');
		await trx('position').whereIn('site_id', siteIds).update({ pattern_position_id: null, stamped: null });
		await trx('site').whereIn('id', siteIds).update({ pattern_id: null, stamped: null });
		await trx('site_pattern').where({ id: patternId }).delete();
		await notify(trx, 'plan', pattern.customerId);
		await enterInLedger(trx, actor, [
			{
				act: 'remove pattern',
				customerId: pattern.customerId,
				subjectKind: 'pattern',
				subjectId: patternId,
				words: `Pattern “${pattern.name}” was removed; ${counted(siteIds.length, 'site that followed it stays as it is', 'sites that followed it stay as they are')}.`
			}
		]);
		return done({ sites: siteIds.length });
	});
}
