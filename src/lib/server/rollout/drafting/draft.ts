import type { Knex } from 'knex';
import { v7 as uuid } from 'uuid';
import { kindTitle, type RolloutKind } from '../../../../core/rollout';
import type { Stance } from '../../../../core/stance';
import { counted } from '../../../../core/text';
import { done, refuse, type Act } from '../../act';
import { cohortMembers } from '../../cohorts';
import { database } from '../../database';
import { enterInLedger, type Actor } from '../../ledger';
import { notify } from '../../live';
import { itemsFor, MOST_UNITS, type DraftKind, type ForWhom, type NewItem } from './candidates';

export interface Drafting {
	readonly kind: DraftKind;
	/** A cohort: whoever is in it; `joins`: newcomers too, while the rollout is under way. */
	readonly whom: ForWhom | { readonly cohort: string; readonly joins: boolean };
	/** Firmware: the version for all; a stance, empty for the one stated further out. Each unit's own where none is named. */
	readonly wanted?: string | undefined;
}

/**
 * Lays down a rollout for somebody to look at before it begins: which units, from what to what. Whoever may send at all
 * of their customers may; units that need nothing or that there is no way for are left out, and told. Refused: when
 * nothing is left, or too many are.
 */
export async function draftRollout(
	{ kind, whom, wanted }: Drafting,
	actor: Actor
): Promise<Act<{ readonly id: string; readonly count: number }>> {
	if (!actor.personId) return refuse('Only a person can plan a rollout.');
	const cohort = 'cohort' in whom ? { id: whom.cohort, joins: whom.joins } : null;
	const units = cohort && (await cohortMembers(cohort.id, MOST_UNITS + 1));
	if (cohort && !units) return refuse('There is no such cohort.');
	const { items, left, candidates } = await itemsFor(
		database(),
		kind,
		'cohort' in whom ? { units: units! } : whom,
		wanted ?? null
	);
	if (candidates > MOST_UNITS) return refuse(`At most ${MOST_UNITS} units in one rollout.`);
	if (items.length === 0)
		return refuse(candidates === 0 ? nobody(whom) : `Nothing is to be done. ${left}`);
	return layDown(
		{
			title: titleOf(
				kind,
				wanted ?? null,
				items.map(({ gets }) => gets)
			),
			kind,
			wanted: wanted ?? null,
			cohort,
			words: left && `Left out: ${left}`.slice(0, 2_000),
			items
		},
		actor
	);
}

function nobody(whom: Drafting['whom']): string {
	if (!('behind' in whom)) return 'None of these units is online.';
	return whom.behind.includes('firmware')
		? 'No unit that is online runs other firmware than it should.'
		: 'No unit that is online is behind what is released and planned.';
}

interface LaidDown {
	readonly title: string;
	readonly kind: RolloutKind;
	readonly wanted?: string | null;
	readonly cohort?: { readonly id: string; readonly joins: boolean } | null;
	/** What was left out of it. */
	readonly words: string;
	readonly items: readonly NewItem[];
}
/**
 * Writes down a rollout that is planned, with its units; `also` writes what else belongs to it. Refused where somebody may not
 * send to units of all its customers.
 */
export async function layDown(
	{ title, kind, wanted = null, cohort = null, words, items }: LaidDown,
	actor: Actor,
	also: (trx: Knex, id: string) => Promise<unknown> = async () => undefined
): Promise<Act<{ readonly id: string; readonly count: number }>> {
	const customers = [...new Set(items.map(({ customer }) => customer))];
	const foreign = customers.filter((customer) => !actor.may('send', customer)).length;
	if (foreign > 0)
		return refuse(
			`You may not send to units of ${counted(foreign, 'of these customers', 'of these customers')}.`
		);
	const id = uuid();
	const customerId = customers.length === 1 ? customers[0]! : null;
	await database().transaction(async (trx) => {
		await trx('rollout').insert({
			id,
			title,
			kind,
			words,
			wanted,
			cohort_id: cohort?.id ?? null,
			joins: cohort?.joins ?? false,
			customer_id: customerId,
			person_id: actor.personId,
			actor: actor.name,
			address: actor.address
		});
		await insertItems(trx, id, items);
		await also(trx, id);
		await enterInLedger(trx, actor, [
			{
				act: 'plan rollout',
				customerId,
				subjectKind: 'rollout',
				subjectId: id,
				words: `A rollout to ${counted(items.length, 'unit')} is planned: ${title}.`
			}
		]);
		await notify(trx, 'rollouts', null, [id]);
	});
	return done({ id, count: items.length });
}

const STANCE_TITLES: Readonly<Record<Stance | '', string>> = {
	hold: 'Hold',
	'hold common': 'Hold what is common',
	watch: 'Watch',
	'': 'Drift as stated further out'
};

function titleOf(kind: RolloutKind, version: string | null, targets: readonly (string | null)[]): string {
	if (kind === 'stance') return STANCE_TITLES[(version ?? '') as Stance | ''];
	if (kind !== 'firmware') return kindTitle(kind);
	const named = version ? [version] : [...new Set(targets)];
	return `${kindTitle(kind)} ${named.slice(0, 3).join(', ')}${named.length > 3 ? ' and others' : ''}`;
}

/** Writes down its units, all of one wave where that is known; how many were not part of it yet. */
export async function insertItems(
	trx: Knex,
	rolloutId: string,
	items: readonly NewItem[],
	wave: number | null = null
): Promise<number> {
	const { rowCount } = await trx.raw(
		`insert into rollout_item (rollout_id, unit_id, position_id, site_id, customer_id, model_id, ordinal, wave, is_front, had, gets, version_id, takes)
		select :id, i.unit, i.position, i.site, i.customer, i.model, ordinal, :wave::int, i.front, i.had, i.gets, i.version, make_interval(secs => i.takes)
		from rows from (jsonb_to_recordset(:items::jsonb) as (unit uuid, position uuid, site uuid, customer uuid, model text, front boolean,
			had text, gets text, version uuid, takes float8)) with ordinality as i(unit, position, site, customer, model, front, had, gets, version, takes, ordinal)
		on conflict do nothing`,
		{ id: rolloutId, wave, items: JSON.stringify(items) }
	);
	return rowCount as number;
}
