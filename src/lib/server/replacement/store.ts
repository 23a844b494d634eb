import type { Knex } from 'knex';
import type { SizeOnDay } from '../../../core/cohort';
import {
	replacementStanding,
	type PlaceToReplace,
	type ReplacementStanding
} from '../../../core/replacement';
import { database } from '../database';

/** A model that is replaced by another across a customer's network. */
export interface Replacement {
	readonly id: string;
	readonly customerId: string;
	readonly customer: string;
	readonly name: string;
	/** Who is to go, as the address of the list of units says it. */
	readonly rule: string;
	readonly modelId: string;
	readonly model: string;
	readonly byWhom: string;
	readonly madeAt: Date;
	/** When who is to go, and what does not match, was last looked at; null before the first time. */
	readonly lookedAt: Date | null;
	readonly endedAt: Date | null;
	readonly going: number;
	readonly coming: number;
}

/** What is bound at a place now, as columns of a query over `place` with its `bound` unit and its `replacement`. */
const BOUND = `case when bound.id = place.old_unit_id then 'old' when bound.model_id = replacement.model_id then 'new' else 'other' end`;

const replacements = (where: string) => `
	select replacement.id, replacement.customer_id as "customerId", customer.name as customer, replacement.name, rule, model_id as "modelId", model.name as model,
		by_whom as "byWhom", made_at as "madeAt", looked_at as "lookedAt", ended_at as "endedAt", counts.*
	from replacement join customer on customer.id = replacement.customer_id join model on model.id = replacement.model_id
	cross join lateral (
		select (count(*) filter (where ${BOUND} = 'old'))::int as going, (count(*) filter (where ${BOUND} = 'new'))::int as coming
		from replacement_place place join binding on binding.position_id = place.position_id join unit bound on bound.id = binding.unit_id
		where place.replacement_id = replacement.id
	) counts ${where}`;

const MOST_SHOWN = 200;
/** Those of these customers (null: of all), those under way first. */
export async function allReplacements(customers: readonly string[] | null): Promise<Replacement[]> {
	const { rows } = await database().raw(
		`${replacements('where :customers::uuid[] is null or replacement.customer_id = any (:customers::uuid[])')}
		order by ended_at is not null, made_at desc limit ${MOST_SHOWN}`,
		{ customers: customers && [...customers] }
	);
	return rows;
}
export async function replacementById(id: string, knex: Knex = database()): Promise<Replacement | undefined> {
	const { rows } = await knex.raw(replacements('where replacement.id = ?'), [id]);
	return rows[0];
}

/** A place of a replacement. */
export interface ReplacementPlace extends PlaceToReplace {
	readonly positionId: string;
	readonly position: string;
	readonly siteId: string;
	readonly site: string;
	readonly oldUnitId: string;
	readonly oldSerial: string;
	readonly oldModel: string;
	readonly unitId: string | null;
	readonly standing: ReplacementStanding;
}
/** Its places, by site. */
export async function placesOf(id: string): Promise<ReplacementPlace[]> {
	const { rows } = await database().raw(
		`select position.id as "positionId", position.name as position, site.id as "siteId", site.name as site, old.id as "oldUnitId", old.serial as "oldSerial",
			old_model.name as "oldModel", coalesce(case when ${BOUND} = 'new' then bound.id end, meant.id) as "unitId",
			coalesce(case when ${BOUND} = 'new' then bound.serial end, meant.serial) as unit, problems, ${BOUND} as bound
		from replacement_place place join replacement on replacement.id = place.replacement_id
		join position on position.id = place.position_id join site on site.id = position.site_id
		join any_unit old on old.id = place.old_unit_id join model old_model on old_model.id = old.model_id
		left join any_unit meant on meant.id = place.unit_id
		left join binding on binding.position_id = place.position_id left join unit bound on bound.id = binding.unit_id
		where place.replacement_id = ? order by lower(site.name), site.id, position.name, position.id`,
		[id]
	);
	return (rows as Omit<ReplacementPlace, 'standing'>[]).map((place) => ({
		...place,
		standing: replacementStanding(place)
	}));
}

/** How many were still to go and how many were replaced, day by day, oldest first. */
export async function replacementDays(
	id: string
): Promise<{ readonly going: readonly SizeOnDay[]; readonly coming: readonly SizeOnDay[] }> {
	const { rows } = await database().raw(
		`select day - date '1970-01-01' as day, going, coming from replacement_day where replacement_id = ? order by day`,
		[id]
	);
	const days = rows as { day: number; going: number; coming: number }[];
	return {
		going: days.map(({ day, going }) => ({ day, units: going })),
		coming: days.map(({ day, coming }) => ({ day, units: coming }))
	};
}
