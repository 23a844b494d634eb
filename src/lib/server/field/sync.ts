import { clockOff, correctedTime } from '../../../core/field';
import { database } from '../database';
import { enterInLedger, type Actor } from '../ledger';
import { notify } from '../live';
import { bindUnit } from '../onboarding';
import type { SentEntry } from './schemas';

/** What came of something that was done on a phone. */
export interface EntryOutcome {
	readonly id: string;
	readonly outcome: 'done' | 'conflict' | 'refused';
	readonly words: string;
}

/**
 * Takes over what was done on a phone, in the order it was done; what was taken over before is answered as
 * it was then, so that sending it twice does no harm. Each entry succeeds or fails for itself. Whoever may
 * bind for the customer may send. Nothing is lost: what collides with what others did meanwhile is kept as
 * a conflict, with both sides.
 */
export async function takeOver(
	entries: readonly SentEntry[],
	phoneNow: number,
	actor: Actor & { readonly personId: string }
): Promise<readonly EntryOutcome[]> {
	const serverNow = Date.now();
	const outcomes: EntryOutcome[] = [];
	for (const entry of [...entries].sort((a, b) => a.at - b.at))
		outcomes.push(
			await takeOne(entry, correctedTime(entry.at, phoneNow, serverNow), clockOff(phoneNow, serverNow), actor)
		);
	return outcomes;
}

interface Stored {
	readonly outcome: EntryOutcome['outcome'];
	readonly words: string;
}

async function takeOne(
	entry: SentEntry,
	doneAt: number,
	off: number | null,
	actor: Actor & { readonly personId: string }
): Promise<EntryOutcome> {
	const before = await database()('field_entry')
		.where({ id: entry.id, person_id: actor.personId })
		.first('outcome', 'outcome_words');
	if (before) return { id: entry.id, outcome: before.outcome, words: before.outcome_words };
	const site = await database()('site').where({ id: entry.siteId }).first('id', 'name', 'customer_id');
	if (!site || !actor.may('bind', site.customer_id))
		return { id: entry.id, outcome: 'refused', words: 'This site is not yours to work at.' };
	const place =
		entry.positionId === null
			? null
			: await database()('position').where({ id: entry.positionId, site_id: site.id }).first('id', 'name');
	if (entry.positionId !== null && !place)
		return { id: entry.id, outcome: 'refused', words: `${site.name} has no such position any more.` };
	const stored: Stored =
		entry.kind === 'bind'
			? await bindScanned(entry.serial, entry.positionId!, site.customer_id, actor)
			: { outcome: 'done', words: '' };
	await database().transaction(async (trx) => {
		const kept = await trx('field_entry')
			.insert({
				id: entry.id,
				person_id: actor.personId,
				customer_id: site.customer_id,
				site_id: site.id,
				position_id: entry.positionId,
				kind: entry.kind,
				serial: entry.kind === 'bind' ? entry.serial : null,
				words: entry.kind === 'note' ? entry.text : entry.kind === 'photo' ? entry.caption : '',
				photo: entry.kind === 'photo' ? entry.image : null,
				done_at: new Date(doneAt),
				clock_off_ms: off,
				outcome: stored.outcome,
				outcome_words: stored.words
			})
			.onConflict('id')
			.ignore()
			.returning('id');
		if (kept.length === 0) return;
		await notify(trx, 'runs', site.customer_id);
		// A binding has its own entry in the ledger
		if (entry.kind === 'bind' && stored.outcome === 'done') return;
		await enterInLedger(trx, actor, [
			{
				act: entry.kind === 'bind' ? 'scan in the field' : `${entry.kind} in the field`,
				customerId: site.customer_id,
				subjectKind: 'site',
				subjectId: site.id,
				words:
					entry.kind === 'bind'
						? `${entry.serial} was scanned for ${place!.name} at ${site.name}: ${stored.words}`
						: `${entry.kind === 'note' ? 'A note' : 'A photo'} from ${[site.name, place?.name].filter(Boolean).join(' ')}.`,
				result: stored.outcome === 'refused' ? 'refused' : 'done'
			}
		]);
	});
	return { id: entry.id, ...stored };
}

/** Binds what was scanned; what somebody else did meanwhile makes it a conflict. */
async function bindScanned(
	serial: string,
	positionId: string,
	customerId: string,
	actor: Actor
): Promise<Stored> {
	const unit = await database()('unit').where({ serial, customer_id: customerId }).first('id');
	if (!unit)
		return { outcome: 'refused', words: `${serial} is not claimed for this customer. Claim it first.` };
	const act = await bindUnit(positionId, unit.id, actor);
	if (act.ok) return { outcome: 'done', words: '' };
	const standing = await collision(positionId, unit.id);
	if (standing.here === unit.id) return { outcome: 'done', words: 'It was there already.' };
	return { outcome: standing.here || standing.elsewhere ? 'conflict' : 'refused', words: act.problem };
}

/** What stands in the way of a binding: the unit at the position, and where else the unit is. */
export async function collision(
	positionId: string,
	unitId: string
): Promise<{ here: string | null; elsewhere: string | null }> {
	const [here, elsewhere] = await Promise.all([
		database()('binding').where({ position_id: positionId }).first('unit_id'),
		database()('binding')
			.where({ unit_id: unitId })
			.whereNot({ position_id: positionId })
			.first('position_id')
	]);
	return { here: here?.unit_id ?? null, elsewhere: elsewhere?.position_id ?? null };
}
