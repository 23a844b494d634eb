import type { Knex } from 'knex';
import { v7 as uuid } from 'uuid';
import { checksFor, checkTitle, proofStanding, type CheckState, type Expectation } from '../../../core/proof';
import { counted } from '../../../core/text';
import { done, refuse, type Act } from '../act';
import { askErrand } from '../connections';
import { database } from '../database';
import { enterInLedger, LIMEN, type Actor } from '../ledger';
import { notify } from '../live';
import { proofPlan } from './plan';

/** Why a site is proven: somebody asked, its last unit came through, it was long ago, or something was sent. */
export type WhyProven = 'asked' | 'complete' | 'due' | 'sent';

const NOT_YOURS = 'You may not prove sites of this customer.';

/**
 * Proves a site: every check that its plan expects of its units is made. Whoever works at the customer may. A proof that
 * is under way is ended by it. Refused: a site without a bound unit.
 */
export async function proveSite(
	siteId: string,
	why: WhyProven,
	actor: Actor
): Promise<Act<{ readonly proofId: string; readonly checks: number }>> {
	return database().transaction(async (trx) => {
		const site = await trx('site').where({ id: siteId }).first('name', 'customer_id as customerId');
		if (!site) return refuse('There is no such site any more.');
		if (!actor.may('prove', site.customerId)) return refuse(NOT_YOURS);
		await trx('site').where({ id: siteId }).forUpdate().first('id');
		const { plan, units } = await proofPlan(trx, siteId);
		const checks = checksFor(plan);
		if (checks.length === 0) return refuse('No unit is bound at this site: there is nothing to prove yet.');
		await trx('site_proof')
			.where({ site_id: siteId, state: 'open' })
			.update({ state: 'ended', ended_at: trx.fn.now() });
		const proofId = uuid();
		await trx('site_proof').insert({
			id: proofId,
			site_id: siteId,
			customer_id: site.customerId,
			why,
			asked_by: actor.personId ?? null,
			// Of two that are begun at once the one that ended the other is the later, whichever transaction began first
			begun_at: trx.raw('clock_timestamp()')
		});
		await trx.batchInsert(
			'site_check',
			checks.map(({ positionId, expects }, index) => ({
				proof_id: proofId,
				ordinal: index + 1,
				customer_id: site.customerId,
				position_id: positionId,
				unit_id: units.get(positionId)!,
				kind: expects.kind,
				expects: JSON.stringify(kept(expects))
			})),
			500
		);
		await askChecks(trx, proofId);
		await notify(trx, 'proofs', site.customerId, [siteId]);
		if (why === 'asked')
			await enterInLedger(trx, actor, [
				{
					act: 'prove site',
					customerId: site.customerId,
					subjectKind: 'site',
					subjectId: siteId,
					words: `${site.name} is proven: ${counted(checks.length, 'check')}.`,
					detail: { proofId, checks: checks.length }
				}
			]);
		return done({ proofId, checks: checks.length });
	});
}

/** What the profile says to a unit can hold a secret: it stays sealed with what was served. */
const kept = (expects: Expectation): object =>
	expects.kind === 'command' ? { kind: expects.kind, name: expects.name } : expects;

/** Asks the units of a proof for their open checks, in the transaction of whoever wants that; of one unit, or of all. */
export async function askChecks(trx: Knex, proofId: string, unitId: string | null = null): Promise<void> {
	const rows = await trx('site_check')
		.where({ proof_id: proofId })
		.whereNull('ended_at')
		.modify((query) => void (unitId && query.where({ unit_id: unitId })))
		.distinct('unit_id as id');
	for (const { id } of rows) {
		const errand = await askErrand(trx, { unitId: id, kind: 'check', input: { proofId } });
		await trx('site_check')
			.where({ proof_id: proofId, unit_id: id })
			.whereNull('ended_at')
			.update({ errand_id: errand });
	}
}

/**
 * Makes one check of a proof that is over again, by itself. Whoever works at the customer may. Refused: while another
 * proof of the site is under way, or when that check's unit is no longer bound there.
 */
export async function checkAgain(proofId: string, ordinal: number, actor: Actor): Promise<Act> {
	return database().transaction(async (trx) => {
		const proof = await trx('site_proof')
			.join('site', 'site.id', 'site_id')
			.where({ 'site_proof.id': proofId })
			.first('site_proof.customer_id as customerId', 'site_id as siteId', 'state', 'site.name as siteName');
		if (!proof) return refuse('There is no such proof any more.');
		if (!actor.may('prove', proof.customerId)) return refuse(NOT_YOURS);
		await trx('site_proof').where({ id: proofId }).forUpdate().first('id');
		const { rows } = await trx.raw(
			`select c.expects, (select p.id from site_proof p where p.site_id = :site order by begun_at desc limit 1) as latest, b.unit_id as bound, c.unit_id as checked
			from site_check c left join binding b on b.position_id = c.position_id where c.proof_id = :proof and c.ordinal = :ordinal`,
			{ site: proof.siteId, proof: proofId, ordinal }
		);
		const [check] = rows;
		if (!check) return refuse('There is no such check.');
		if (check.latest !== proofId || proof.state === 'ended')
			return refuse('The site was proven again since. Look at the last proof.');
		if (check.bound !== check.checked)
			return refuse('Another unit stands there now. Prove the site as a whole.');
		await trx('site_proof').where({ id: proofId }).update({ state: 'open', ended_at: null });
		await trx('site_check').where({ proof_id: proofId, ordinal }).update({
			state: 'waiting',
			words: '',
			figures: '[]',
			asked_at: null,
			ended_at: null,
			look_at: null
		});
		await askChecks(trx, proofId, check.checked);
		await notify(trx, 'proofs', proof.customerId, [proof.siteId]);
		await enterInLedger(trx, actor, [
			{
				act: 'prove site',
				customerId: proof.customerId,
				subjectKind: 'site',
				subjectId: proof.siteId,
				words: `“${checkTitle(check.expects)}” at ${proof.siteName} is checked again.`
			}
		]);
		return done(undefined);
	});
}

/** Ends a proof whose checks are all over, and says of its site how it stands; in the transaction of the last check. */
export async function settleProof(trx: Knex, proofId: string): Promise<void> {
	const proof = await trx('site_proof')
		.join('site', 'site.id', 'site_id')
		.where({ 'site_proof.id': proofId, state: 'open' })
		.forUpdate('site_proof')
		.first(
			'site_id as siteId',
			'site_proof.customer_id as customerId',
			'site.name as name',
			'proof_state as before'
		);
	if (!proof) return;
	const states = await trx('site_check').where({ proof_id: proofId }).pluck<CheckState[]>('state');
	const state = proofStanding(states);
	await notify(trx, 'proofs', proof.customerId, [proof.siteId]);
	if (state === 'open') return;
	await trx('site_proof').where({ id: proofId }).update({ state, ended_at: trx.fn.now() });
	await trx('site')
		.where({ id: proof.siteId })
		.update({
			proof_state: state,
			proof_at: trx.fn.now(),
			proof_since: trx.raw('case when proof_state = ? then proof_since else now() end', [state])
		});
	if (state === proof.before) return;
	const faults = states.filter((one) => one !== 'holds' && one !== 'cannot').length;
	await enterInLedger(trx, LIMEN, [
		{
			act: state === 'held' ? 'site proven' : 'site not proven',
			customerId: proof.customerId,
			subjectKind: 'site',
			subjectId: proof.siteId,
			words:
				state === 'held'
					? `${proof.name} is proven: ${counted(states.length, 'check holds', 'checks hold')}.`
					: `${proof.name} does not hold: ${counted(faults, 'check')} of ${states.length}.`
		}
	]);
}
