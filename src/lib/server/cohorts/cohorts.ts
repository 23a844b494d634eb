import * as v from 'valibot';
import { v7 as uuid } from 'uuid';
import type { SizeOnDay } from '../../../core/cohort';
import { readListQuery, UNIT_LIST } from '../../../core/list';
import { done, refuse, type Act } from '../act';
import { changing } from '../change';
import { database } from '../database';
import { oneId } from '../forms';
import { unitCounts, unitIds } from '../intake';
import { enterInLedger, type Actor } from '../ledger';
import { log } from '../log';

/** A group of units whose members follow a rule: what a list of units shows with its filters. */
export interface Cohort {
	readonly id: string;
	readonly customerId: string;
	readonly customer: string;
	readonly name: string;
	/** As the address of the list of units says it. */
	readonly rule: string;
	readonly byWhom: string;
	readonly madeAt: Date;
	/** By day, oldest first. */
	readonly sizes: readonly SizeOnDay[];
}

const MOST_COHORTS = 200;
const MOST_DAYS = 400;

/** Those of these customers (null: of all), with their sizes. */
export async function cohorts(customers: readonly string[] | null): Promise<Cohort[]> {
	const { rows } = await database().raw(
		`select cohort.id, cohort.customer_id as "customerId", customer.name as customer, cohort.name, rule, by_whom as "byWhom", made_at as "madeAt",
			coalesce((select json_agg(json_build_object('day', day - date '1970-01-01', 'units', units) order by day) from cohort_size s
				where s.cohort_id = cohort.id and day > current_date - ${MOST_DAYS}), '[]') as sizes
		from cohort join customer on customer.id = cohort.customer_id
		where (:customers::uuid[] is null or cohort.customer_id = any (:customers::uuid[])) order by customer.name, lower(cohort.name) limit ${MOST_COHORTS}`,
		{ customers: customers && [...customers] }
	);
	return rows;
}

export const cohortSchema = v.object({
	customer: oneId('For which customer?'),
	name: v.pipe(
		v.string('Give it a name.'),
		v.trim(),
		v.minLength(1, 'Give it a name.'),
		v.maxLength(120, 'At most 120 characters.')
	),
	rule: v.pipe(v.string(), v.maxLength(2_000, 'This rule is too long.'))
});

/**
 * Keeps what a list of units shows as a cohort of one customer, and counts it from today on. Whoever may send there may.
 * Refused: a second one of a name, or too many.
 */
export async function keepCohort(
	{ customer, name, rule }: v.InferOutput<typeof cohortSchema>,
	actor: Actor
): Promise<Act> {
	if (!actor.may('send', customer))
		return refuse('Cohorts are kept by those who may send to the customer’s units.');
	const units = await sizeNow(customer, rule);
	return changing(
		async (trx) => {
			const [{ count }] = (await trx('cohort').where({ customer_id: customer }).count()) as [
				{ count: string }
			];
			if (Number(count) >= MOST_COHORTS) return refuse(`A customer has at most ${MOST_COHORTS} cohorts.`);
			const id = uuid();
			await trx('cohort').insert({ id, customer_id: customer, name, rule, by_whom: actor.name });
			await trx('cohort_size').insert({
				cohort_id: id,
				customer_id: customer,
				day: trx.raw('current_date'),
				units
			});
			await enterInLedger(trx, actor, [
				{
					act: 'keep cohort',
					customerId: customer,
					subjectKind: 'customer',
					subjectId: customer,
					words: `Cohort “${name}” is kept.`,
					detail: { rule }
				}
			]);
			return done(undefined);
		},
		{ cohort_customer_id_name_key: 'There is a cohort of this name.' }
	);
}

export const droppedCohortSchema = v.object({ cohort: oneId('Which cohort?') });

/** Drops a cohort with its sizes; its units are not touched. Whoever may send at its customer may. */
export async function dropCohort(id: string, actor: Actor): Promise<Act> {
	return changing(async (trx) => {
		const cohort = await trx('cohort').where({ id }).first('customer_id as customerId', 'name');
		if (!cohort) return refuse('It is gone already.');
		if (!actor.may('send', cohort.customerId)) return refuse('You may not drop cohorts of this customer.');
		await trx('cohort').where({ id }).delete();
		await enterInLedger(trx, actor, [
			{
				act: 'drop cohort',
				customerId: cohort.customerId,
				subjectKind: 'customer',
				subjectId: cohort.customerId,
				words: `Cohort “${cohort.name}” is removed.`
			}
		]);
		return done(undefined);
	});
}

/** The units of a cohort, at most so many; null where there is no such cohort. */
export async function cohortMembers(id: string, most: number): Promise<readonly string[] | null> {
	const cohort = await database()('cohort').where({ id }).first('customer_id', 'rule');
	return cohort
		? unitIds(cohort.customer_id, readListQuery(new URLSearchParams(cohort.rule), UNIT_LIST), most)
		: null;
}

async function sizeNow(customerId: string, rule: string): Promise<number> {
	const counts = await unitCounts(customerId, readListQuery(new URLSearchParams(rule), UNIT_LIST));
	return Object.values(counts).reduce((sum, count) => sum + count, 0);
}

/** Counts every cohort for today; the last count of a day stays. Done twice, it does no harm. Runs as BOOTSTRAP. */
export async function countCohorts(): Promise<void> {
	const all: { id: string; customer_id: string; rule: string }[] = await database()('cohort').select(
		'id',
		'customer_id',
		'rule'
	);
	for (const { id, customer_id, rule } of all)
		try {
			const units = await sizeNow(customer_id, rule);
			await database()('cohort_size')
				.insert({ cohort_id: id, customer_id, day: database().raw('current_date'), units })
				.onConflict(['cohort_id', 'day'])
				.merge(['units']);
		} catch (error) {
			log.warn({ cohort: id, error: (error as Error).message }, 'a cohort could not be counted');
		}
}
