import type { Knex } from 'knex';
import { database } from '../../database';
import { unseal } from '../../keys';
import type { ReadingKind } from '../speaking/dialogue';

export interface Reading {
	readonly id: string;
	readonly unitId: string;
	readonly kind: ReadingKind;
	readonly at: Date;
	/** As the unit printed it, secrets and all. */
	readonly content: string;
}

const readings = (knex: Knex = database()) =>
	knex('reading').select('id', 'unit_id as unitId', 'kind', 'at', 'content');
const opened = (row: Reading | undefined): Reading | null =>
	row ? { ...row, content: unseal(row.content) } : null;

/** What an errand read of one kind. */
export const readingOf = async (errandId: string, kind: ReadingKind): Promise<Reading | null> =>
	opened(await readings().where({ errand_id: errandId, kind }).orderBy('at', 'desc').first());

/** One of a unit's readings. */
export const readingById = async (unitId: string, id: string): Promise<Reading | null> =>
	opened(await readings().where({ unit_id: unitId, id }).first());

/** The last reading of a kind that a unit gave. */
export const latestReading = async (
	unitId: string,
	kind: ReadingKind,
	knex: Knex = database()
): Promise<Reading | null> =>
	opened(await readings(knex).where({ unit_id: unitId, kind }).orderBy('at', 'desc').first());
