import type { Knex } from 'knex';
import { done, refuse, type Act } from '../act';
import { changing } from '../change';
import { database } from '../database';
import { addCallHomeKey, callHomeKeys, dropCallHomeKeys } from '../keys';
import { enterInLedger, LIMEN, type Actor } from '../ledger';
import { notify } from '../live';

/** Limen's own key: how many units let which one in. */
export interface CallHomeKeyStanding {
	readonly fingerprint: string;
	readonly older: readonly string[];
	/** Units that are bound, by the key that they took last. */
	readonly trust: number;
	readonly trustOlder: number;
}

export async function callHomeKeyStanding(): Promise<CallHomeKeyStanding> {
	const [newest, ...older] = callHomeKeys();
	const { rows } = await database().raw(
		`select (count(*) filter (where login_key = :key))::int as trust, (count(*) filter (where login_key <> :key))::int as "trustOlder"
		from unit join binding on binding.unit_id = unit.id where login_key is not null`,
		{ key: newest.fingerprint }
	);
	return { fingerprint: newest.fingerprint, older: older.map(({ fingerprint }) => fingerprint), ...rows[0] };
}

/** Whoever changes the keys reads them only then: in another process they may have just been changed. */
const oneAtATime = (trx: Knex): Promise<unknown> =>
	trx.raw(`select pg_advisory_xact_lock(hashtext('limen: call-home key'))`);

/** Older keys are destroyed once every unit that is bound took the newest. Runs as BOOTSTRAP. */
export async function dropKeysNobodyNeeds(): Promise<void> {
	if (callHomeKeys().length === 1) return;
	await database().transaction(async (trx) => {
		await oneAtATime(trx);
		const [newest, ...older] = callHomeKeys();
		if (older.length === 0) return;
		const { rows } = await trx.raw(
			`select exists (
				select from unit join unit_host_key on unit_host_key.unit_id = unit.id
				where out_of_service_at is null and login_key is distinct from ? and exists (select from binding where binding.unit_id = unit.id)
			) or exists (select from rotation where of_key and ended_at is null) as needed`,
			[newest.fingerprint]
		);
		if (rows[0].needed) return;
		const gone = older.map(({ fingerprint }) => fingerprint);
		dropCallHomeKeys(gone);
		await enterInLedger(trx, LIMEN, [
			{
				act: 'destroy old key',
				customerId: null,
				subjectKind: 'key',
				subjectId: newest.fingerprint,
				words: `Every unit trusts ${newest.fingerprint}; ${gone.join(', ')} was destroyed.`
			}
		]);
	});
}

/**
 * Makes Limen a new key to log in with. What units are given names it from now on; the one before is kept, and shown to
 * units that were not given the new one, until none needs it. Administrators may. Refused while another change is going on,
 * and when the key is another one than whoever asks has `seen`.
 */
export const renewCallHomeKey = (seen: string, actor: Actor): Promise<Act> =>
	changing(async (trx) => {
		if (!actor.may('manage people', null)) return refuse('Only an administrator can make Limen a new key.');
		await oneAtATime(trx);
		if (callHomeKeys().length > 1)
			return refuse('Some units were not brought to the present key yet. Bring them to it first.');
		if (callHomeKeys()[0].fingerprint !== seen)
			return refuse('The key has changed since you looked. Look again.');
		const { fingerprint } = addCallHomeKey();
		await notify(trx, 'plan', null);
		await enterInLedger(trx, actor, [
			{
				act: 'make new key',
				customerId: null,
				subjectKind: 'key',
				subjectId: fingerprint,
				words: `Limen has a new key to log in to units with, ${fingerprint}.`
			}
		]);
		return done(undefined);
	});
