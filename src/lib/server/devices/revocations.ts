import * as v from 'valibot';
import { LONGEST_LIST, type readRevocationList, type RevocationReading } from '../../../core/trust';
import { counted } from '../../../core/text';
import { done, refuse, type Act } from '../act';
import { database } from '../database';
import { enterInLedger, type Actor } from '../ledger';
import { notify } from '../live';
import { sharedRefusal } from '../people';
import { GivenUp, offMainThread, task } from '../threads';
import { authoritiesOf } from './authorities';

const READ = task<Parameters<typeof readRevocationList>, RevocationReading>('readRevocationList');
/** The longest lists take a while. */
const PATIENCE_MS = 90_000;
const WHO_MAY = 'Revocation lists are loaded by engineers.';

export const listSchema = v.object({
	list: v.pipe(
		v.file('Choose a file.'),
		v.minSize(1, 'Choose a file.'),
		v.maxSize(LONGEST_LIST, `A revocation list has at most ${LONGEST_LIST >> 20} MB.`)
	)
});

export interface RevocationListRow {
	readonly issuer: string;
	readonly number: string | null;
	readonly madeAt: Date;
	readonly nextBy: Date | null;
	readonly loadedAt: Date;
	readonly loadedBy: string;
	readonly revoked: number;
}
/** The lists of a maker's authorities that were loaded. */
export const revocationListsOf = (makerId: string): Promise<RevocationListRow[]> =>
	database()('revocation_list as list')
		.where({ maker_id: makerId })
		.orderBy('issuer')
		.select(
			'issuer',
			database().raw('number::text as number'),
			'made_at as madeAt',
			'next_by as nextBy',
			'loaded_at as loadedAt',
			'loaded_by as loadedBy',
			database().raw(
				'(select count(*)::int from revoked_certificate r where r.maker_id = list.maker_id and r.issuer = list.issuer) as revoked'
			)
		);

/**
 * Takes a revocation list (PEM or DER) into use in the place of its authority's last one. Engineers of every customer with
 * units of the maker may, and administrators. Refused: what is none, one that no authority of the maker's pack has signed,
 * and one that is older than the one in use.
 */
export async function loadRevocationList(
	makerId: string,
	file: Uint8Array,
	actor: Actor
): Promise<Act<{ readonly revoked: number; readonly subject: string }>> {
	if (!actor.may('edit profiles', null)) return refuse(WHO_MAY);
	const authorities = await authoritiesOf(makerId);
	if (authorities.length === 0) return refuse('The maker’s pack names nobody who signs device certificates.');
	const asked: Parameters<typeof readRevocationList> = [file, authorities.map(({ der }) => der)];
	const read = await offMainThread(READ, asked, PATIENCE_MS).catch((error: Error): RevocationReading => {
		if (!(error instanceof GivenUp)) throw error;
		return { ok: false, problem: error.message };
	});
	if (!read.ok) return refuse(read.problem);
	const { authority, number, madeAt, nextBy, revoked } = read.list;
	const { issuer, subject } = authorities[authority]!;
	return database().transaction(async (trx) => {
		const refused = await sharedRefusal(trx, 'edit profiles', { maker: makerId }, actor, WHO_MAY);
		if (refused) return refused;
		await trx('maker').where({ id: makerId }).forNoKeyUpdate().first('id');
		const key = { maker_id: makerId, issuer };
		const before = await trx('revocation_list').where(key).first('made_at as madeAt');
		if (before && before.madeAt > madeAt) return refuse('It is older than the list in use.');
		await trx('revocation_list').where(key).delete();
		await trx('revocation_list').insert({
			...key,
			number,
			made_at: madeAt,
			next_by: nextBy,
			loaded_by: actor.name
		});
		await trx.raw(
			`insert into revoked_certificate (maker_id, issuer, serial)
			select ?, ?, serial from jsonb_array_elements_text(?::jsonb) serial on conflict do nothing`,
			[makerId, issuer, JSON.stringify(revoked)]
		);
		await notify(trx, 'packs', null);
		await enterInLedger(trx, actor, [
			{
				act: 'load revocation list',
				customerId: null,
				subjectKind: 'pack',
				subjectId: makerId,
				words: `${subject}: its list of ${counted(revoked.length, 'revoked device certificate')} is in use.`,
				detail: { maker: makerId, number, madeAt: madeAt.toISOString() }
			}
		]);
		return done({ revoked: revoked.length, subject });
	});
}
