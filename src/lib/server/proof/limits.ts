import type { Knex } from 'knex';
import * as v from 'valibot';
import {
	CHECK_KINDS,
	givenLimitsSchema,
	LIMIT_FIGURES,
	type CheckKind,
	type GivenLimits
} from '../../../core/proof';
import { done, refuse, type Act } from '../act';
import { database } from '../database';
import { enterInLedger, type Actor } from '../ledger';
import { notify } from '../live';
import { sharedRefusal } from '../people';

/** What limits can be given to: all positions with a profile, or all sites of a pattern. */
export type LimitsOf = { readonly profile: string } | { readonly pattern: string };
const tableOf = (of: LimitsOf) =>
	'profile' in of
		? ({ table: 'profile', id: of.profile } as const)
		: ({ table: 'site_pattern', id: of.pattern } as const);

/** As they are given; null when there is no such profile or pattern. */
export async function givenLimits(of: LimitsOf): Promise<{
	readonly name: string;
	readonly customerId: string | null;
	readonly limits: GivenLimits;
} | null> {
	const { table, id } = tableOf(of);
	const row = await database()(table).where({ id }).first('*');
	return row
		? {
				name: row.name,
				customerId: row.customer_id ?? null,
				limits: v.parse(givenLimitsSchema, row.proof_limits ?? {})
			}
		: null;
}

const figureField = v.pipe(
	v.optional(v.string(), ''),
	v.trim(),
	v.regex(/^(?:\d{1,7}(?:\.\d{1,2})?)?$/, 'Write a number, or nothing for the usual one.')
);
/** As a form gives them: a tick for each kind that is checked, a number or nothing for each figure. */
export const limitsFormSchema = v.object({
	on: v.optional(
		v.union([
			v.array(v.string()),
			v.pipe(
				v.string(),
				v.transform((one) => [one])
			)
		]),
		[]
	),
	...(Object.fromEntries(LIMIT_FIGURES.map(({ name }) => [name, figureField])) as Record<
		(typeof LIMIT_FIGURES)[number]['name'],
		typeof figureField
	>)
});

/**
 * Sets what proofs check, and how strictly. Whoever may edit the profile, or plan sites for the pattern's customer, may.
 * It counts from the next proof on. Refused: a figure out of its range.
 */
export async function saveLimits(
	of: LimitsOf,
	{ on, ...figures }: v.InferOutput<typeof limitsFormSchema>,
	actor: Actor
): Promise<Act> {
	const { table, id } = tableOf(of);
	const read = v.safeParse(givenLimitsSchema, {
		off: (Object.keys(CHECK_KINDS) as CheckKind[]).filter((kind) => !on.includes(kind)),
		...Object.fromEntries(
			Object.entries(figures).flatMap(([name, text]) => (text === '' ? [] : [[name, Number(text)]]))
		)
	});
	if (!read.success) {
		const figure = LIMIT_FIGURES.find(({ name }) => name === read.issues[0].path?.[0]?.key);
		return refuse(`${figure?.words ?? 'A figure'}: this is out of its range.`);
	}
	return database().transaction(async (trx) => {
		const row = await trx(table).where({ id }).first('*');
		if (!row) return refuse('This is gone already.');
		const refusal = await mayNot(trx, of, row.customer_id ?? null, actor);
		if (refusal) return refusal;
		await trx(table)
			.where({ id })
			.update({ proof_limits: JSON.stringify(read.output) });
		await notify(trx, 'plan', row.customer_id ?? null);
		await enterInLedger(trx, actor, [
			{
				act: 'set proof limits',
				customerId: row.customer_id ?? null,
				subjectKind: 'profile' in of ? 'profile' : 'pattern',
				subjectId: id,
				words: `What proofs check for “${row.name}” was changed.`,
				before: row.proof_limits ?? {},
				after: read.output
			}
		]);
		return done(undefined);
	});
}

const mayNot = async (trx: Knex, of: LimitsOf, customerId: string | null, actor: Actor) =>
	'profile' in of
		? sharedRefusal(
				trx,
				'edit profiles',
				{ profile: of.profile },
				actor,
				'Profiles are written by engineers.'
			)
		: actor.may('plan sites', customerId)
			? null
			: refuse('You may not plan sites for this customer.');
