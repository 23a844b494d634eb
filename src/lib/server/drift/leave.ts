import { timeNow } from '../database';
import * as v from 'valibot';
import { done, refuse, type Act } from '../act';
import { changing, TakenBack } from '../change';
import { enterInLedger, type Actor } from '../ledger';
import { notifyEach } from '../live';
import { countGroups } from './groups';

const MOST_DAYS = 366;
export const leaveSchema = v.object({
	until: v.pipe(
		v.string('Until which day?'),
		v.isoDate('Until which day?'),
		v.check((day) => Date.parse(day) >= timeNow() - 2 * 86_400_000, 'That day is over.'),
		v.check(
			(day) => Date.parse(day) <= timeNow() + MOST_DAYS * 86_400_000,
			'A year at most; look again then.'
		)
	),
	why: v.pipe(v.string(), v.trim(), v.minLength(1, 'Say why it may stay.'), v.maxLength(500))
});

const CHANGED = 'Some of this has ended meanwhile. Look again; nothing was done.';
/**
 * Leaves findings as they are for now: until a day, for a reason; `null` takes that back. Whoever may send at their
 * customers may. Refused: when none of them is open any more.
 */
export const leaveFindings = (
	findingIds: readonly string[],
	given: v.InferOutput<typeof leaveSchema> | null,
	actor: Actor
): Promise<Act<{ readonly count: number }>> =>
	changing(async (trx) => {
		const rows: {
			id: string;
			unitId: string;
			same: Buffer;
			customerId: string;
			serial: string;
			path: string[];
			should: string | null;
			runs: string | null;
		}[] = await trx('finding')
			.join('unit', 'unit.id', 'unit_id')
			.whereIn('finding.id', [...findingIds])
			.whereNull('ended_at')
			.orderBy('finding.id')
			.select(
				'finding.id',
				'unit_id as unitId',
				'same',
				'finding.customer_id as customerId',
				'serial',
				'path',
				'should',
				'runs'
			);
		if (rows.length === 0) return refuse('This is no longer so; nothing is to be left.');
		if (!rows.every(({ customerId }) => actor.may('send', customerId)))
			return refuse('You may not decide this for units of this customer.');
		const changed = await trx('finding')
			.whereIn(
				'id',
				rows.map(({ id }) => id)
			)
			.whereNull('ended_at')
			.update({
				left_until: given?.until ?? null,
				left_reason: given?.why ?? null,
				left_by: given ? actor.name : null
			});
		if (changed < rows.length) throw new TakenBack(refuse(CHANGED));
		await countGroups(
			trx,
			rows.map(({ same, customerId }) => ({ same, customer_id: customerId }))
		);
		await enterInLedger(
			trx,
			actor,
			rows.map(({ unitId, customerId, serial, id, path, should, runs }) => ({
				act: given ? 'leave finding' : 'take up finding',
				customerId,
				subjectKind: 'unit' as const,
				subjectId: unitId,
				words: `${given ? `Left until ${given.until}` : 'Not left any more'} at ${serial}: “${brief(path, runs ?? should)}”.${given ? ` ${given.why}` : ''}`,
				detail: { findingId: id }
			}))
		);
		await notifyEach(
			trx,
			'drift',
			rows.map(({ unitId, customerId }) => ({ id: unitId, customerId }))
		);
		return done({ count: rows.length });
	});

const brief = (path: readonly string[], text: string | null): string =>
	[...path, (text ?? '').split('\n', 1)[0]!].join(' › ').slice(0, 200);
