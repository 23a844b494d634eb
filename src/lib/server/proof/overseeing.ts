import { database } from '../database';
import { LIMEN } from '../ledger';
import { log } from '../log';
import { currentSettings } from '../settings';
import { askChecks, proveSite, settleProof } from './sites';

/** A unit that is away for longer is not waited for. */
const awaySeconds = (): number => Math.min(30, currentSettings().LIMEN_PROOF_PATIENCE);

interface Neglected {
	readonly proofId: string;
	readonly unitId: string;
	readonly isConnected: boolean;
	readonly isLate: boolean;
	readonly failure: string | null;
}

/**
 * Goes on with proofs that nobody goes on with: checks that are to be made again are asked for again; those of a unit
 * that is not there, or whose errand failed as a whole, are over and could not be read.
 */
export async function goOnWithProofs(): Promise<void> {
	const { rows } = await database().raw(
		`select c.proof_id as "proofId", c.unit_id as "unitId",
			exists (select from unit_connection u where u.unit_id = c.unit_id and u.ended_at is null) as "isConnected",
			max(greatest(p.begun_at, c.asked_at)) < now() - make_interval(secs => ?) as "isLate",
			max(case when e.state = 'failed' then e.words end) as failure
		from site_check c join site_proof p on p.id = c.proof_id and p.state = 'open'
		left join errand e on e.id = c.errand_id
		where c.ended_at is null and (c.look_at is null or c.look_at <= now())
			and not exists (select from errand o where o.unit_id = c.unit_id and o.kind = 'check' and o.state = 'under way')
			and (e.state is distinct from 'waiting' or not exists (select from unit_connection u where u.unit_id = c.unit_id and u.ended_at is null))
		group by 1, 2`,
		[awaySeconds()]
	);
	for (const one of rows as Neglected[])
		await goOn(one).catch((error: Error) =>
			log.info({ proof: one.proofId, error: error.message }, 'a proof could not be gone on with')
		);
}

const goOn = ({ proofId, unitId, isConnected, isLate, failure }: Neglected): Promise<void> =>
	database().transaction(async (trx) => {
		if (failure !== null || (!isConnected && isLate)) {
			await trx('site_check')
				.where({ proof_id: proofId, unit_id: unitId })
				.whereNull('ended_at')
				.update({
					state: 'unread',
					words: failure ?? 'The unit is not connected: it could not be asked.',
					ended_at: trx.fn.now()
				});
			await settleProof(trx, proofId);
		} else if (isConnected) await askChecks(trx, proofId, unitId);
	});

/** Sites whose last proof is older are proven again; one that did not hold may only have lacked somebody else. */
const GOOD_FOR = '1 day';
const TRIED_AGAIN_AFTER = '10 minutes';
const AT_ONCE = 40;

/** Proves sites that are complete and unproven, those that did not hold, and those whose proof is old; a few at a time. */
export async function proveWhatIsDue(): Promise<void> {
	const { rows } = await database().raw(
		`select site.id, proof_state is null as "isNew" from site
		where (proof_at is null or proof_at < now() - case proof_state when 'held' then interval '${GOOD_FOR}' else interval '${TRIED_AGAIN_AFTER}' end)
			and not exists (select from site_proof p where p.site_id = site.id and p.state = 'open')
			and exists (select from binding join position on position.id = binding.position_id where position.site_id = site.id)
			and not exists (select from position_standing stands where stands.site_id = site.id and stands.standing <> 'online' offset 0)
		order by proof_at nulls first limit ${AT_ONCE}`
	);
	for (const { id, isNew } of rows as { id: string; isNew: boolean }[])
		await proveSite(id, isNew ? 'complete' : 'due', LIMEN);
}

/** The site of a position is proven if all its units are online, and it was not. */
export async function proveIfComplete(positionId: string): Promise<void> {
	const { rows } = await database().raw(
		`select site.id from site join position own on own.site_id = site.id and own.id = ?
		where proof_state is null and not exists (select from site_proof p where p.site_id = site.id and p.state = 'open')
			and not exists (select from position_standing stands where stands.site_id = site.id and stands.standing <> 'online' offset 0)`,
		[positionId]
	);
	for (const { id } of rows as { id: string }[]) await proveSite(id, 'complete', LIMEN);
}

/** The site of a position is proven anew: something was sent to one of its units. */
export async function proveAfterSend(positionId: string): Promise<void> {
	const found = await database()('position').where({ id: positionId }).first('site_id as siteId');
	if (found) await proveSite(found.siteId, 'sent', LIMEN);
}
