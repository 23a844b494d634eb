import type { Knex } from 'knex';
import * as v from 'valibot';
import type { Dialect } from '../../../core/config';
import { maskSecrets, ownTextSchema, ownWords, type OwnStatement, type OwnText } from '../../../core/profile';
import { done, refuse, type Act } from '../act';
import { changing } from '../change';
import { database } from '../database';
import { seal, unseal } from '../keys';
import { enterInLedger, type Actor } from '../ledger';
import { notify } from '../live';

/** More of its own than this has no position; then it wants a profile. */
const MOST_STATEMENTS = 200;

/** A position's own statements, unsealed. */
export const openedOwn = (sealed: string | null): OwnText | null =>
	sealed === null ? null : v.parse(ownTextSchema, JSON.parse(unseal(sealed)));

/** As people see them: secrets masked. */
export async function ownTextOf(positionId: string): Promise<readonly string[]> {
	const row = await database()('position').where({ id: positionId }).first('own_text');
	return openedOwn(row?.own_text ?? null)?.statements.map((one) => maskSecrets(ownWords(one))) ?? [];
}

/**
 * Gives a position statements of its own, behind those that it has, in the transaction of the act that wants it, which
 * has asked whether it may. Refused: too many of them, or in another dialect than those that it has.
 */
export async function addOwnIn(
	trx: Knex,
	positionId: string,
	dialect: Dialect,
	statements: readonly OwnStatement[]
): Promise<Act> {
	const row = await trx('position')
		.where({ id: positionId })
		.forUpdate()
		.first('own_text', 'name', 'customer_id');
	if (!row) return refuse('There is no such position.');
	const before = openedOwn(row.own_text);
	if (before && before.dialect !== dialect)
		return refuse(`${row.name} has statements of its own for another model. Take them away first.`);
	const next = [...(before?.statements ?? []), ...statements];
	if (next.length > MOST_STATEMENTS)
		return refuse(
			`${row.name} would have more than ${MOST_STATEMENTS} statements of its own: give it a profile of its own.`
		);
	await write(trx, positionId, { dialect, statements: [...next] });
	await notify(trx, 'plan', row.customer_id);
	return done(undefined);
}

const write = (trx: Knex, positionId: string, own: OwnText) =>
	trx('position')
		.where({ id: positionId })
		.update({ own_text: own.statements.length === 0 ? null : seal(JSON.stringify(own)) });

/**
 * Takes one of a position's own statements away: what its profile says counts there again. Whoever may set values for the
 * customer may. Refused: when it is gone, or another one by now (`words`: as somebody saw it).
 */
export const removeOwn = (positionId: string, index: number, words: string, actor: Actor): Promise<Act> =>
	changing(async (trx) => {
		const row = await trx('position')
			.join('site', 'site.id', 'site_id')
			.where('position.id', positionId)
			.first('own_text', 'position.name', 'site.name as siteName', 'position.customer_id as customerId');
		if (!row) return refuse('There is no such position.');
		if (!actor.may('set values', row.customerId))
			return refuse('You may not change what is planned for this customer.');
		await trx('position').where({ id: positionId }).forUpdate().select('id');
		const own = openedOwn((await trx('position').where({ id: positionId }).first('own_text')).own_text);
		const one = own?.statements[index];
		if (!own || !one || maskSecrets(ownWords(one)) !== words)
			return refuse('Somebody changed this meanwhile. Look again; nothing was done.');
		await write(trx, positionId, { ...own, statements: own.statements.toSpliced(index, 1) });
		await enterInLedger(trx, actor, [
			{
				act: 'remove own text',
				customerId: row.customerId,
				subjectKind: 'position',
				subjectId: positionId,
				words: `${row.name}, ${row.siteName} has no statement of its own any more: ${words}.`
			}
		]);
		await notify(trx, 'plan', row.customerId);
		return done(undefined);
	});
